import fc from 'fast-check';
import { choice } from '../plan/test-arbitrary';
import { strToU8, zipSync, type Zippable } from 'fflate';
import { readZip, ZIP_LIMITS } from './zip';

const names = fc.stringMatching(/^[a-z]{1,8}(\/[a-z]{1,8})?\.sdp$/);
const archives = fc.dictionary(names, fc.uint8Array({ maxLength: 3000 }), { maxKeys: 12 });

describe('zip archives', () => {
  test('law: what was packed comes out, stored or deflated', () => {
    fc.assert(
      fc.property(archives, fc.constantFrom(0 as const, 6 as const), (files, level) => {
        fc.pre(Object.keys(files).length > 0);
        const read = readZip(zipSync(files, { level }));
        expect(read.problems).toEqual([]);
        expect(Object.fromEntries(read.files.map((f) => [f.name, Uint8Array.from(f.bytes)]))).toEqual(
          Object.fromEntries(Object.entries(files).map(([n, b]) => [n, Uint8Array.from(b)])),
        );
      }),
    );
  });

  test('law: cut anywhere, it throws nothing, and what it gives is whole', () => {
    fc.assert(
      fc.property(archives, choice, (files, share) => {
        fc.pre(Object.keys(files).length > 0);
        const bytes = zipSync(files);
        const read = readZip(bytes.slice(0, Math.floor(bytes.length * share)));
        for (const f of read.files) expect(Uint8Array.from(f.bytes)).toEqual(Uint8Array.from(files[f.name]!));
        if (read.files.length < Object.keys(files).length) expect(read.problems.length).toBeGreaterThan(0);
      }),
    );
  });

  test('law: any octets after the first four are answered', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 400 }), (junk) => {
        const read = readZip(Uint8Array.from([0x50, 0x4b, 3, 4, ...junk]));
        expect(read.files.length + read.problems.length).toBeGreaterThanOrEqual(0);
      }),
    );
  });

  test('an archive that unpacks to a thousand times its size is stopped in time', () => {
    const limits = { files: 2000, bytesPerFile: 2_000_000, bytesInAll: 6_000_000 };
    const bomb = zipSync({ 'a.sdp': new Uint8Array(3_000_000) });
    expect(bomb.length).toBeLessThan(10_000);
    expect(readZip(bomb, limits)).toEqual({
      files: [],
      problems: [{ name: 'a.sdp', problem: 'it unpacks to more than 2 MB' }],
    });
    const many: Zippable = {};
    for (let n = 0; n < 5; n += 1) many[`${n}.sdp`] = new Uint8Array(1_500_000);
    expect(readZip(zipSync(many), limits).problems).toEqual([{ name: '', problem: 'it unpacks to more than 6 MB' }]);
  });

  test('a size that is not true is told', () => {
    const bytes = zipSync({ 'a.sdp': strToU8('v=0\r\n'.repeat(400)) });
    const lies = Uint8Array.from(bytes);
    new DataView(lies.buffer).setUint32(22, 10, true);
    expect(readZip(lies)).toEqual({
      files: [],
      problems: [{ name: 'a.sdp', problem: 'it says 10 bytes and holds 2000' }],
    });
  });

  test('more files than anyone has, other compression, no archive at all', () => {
    const few = readZip(zipSync({ 'a.sdp': strToU8('a'), 'b.sdp': strToU8('b'), 'c.sdp': strToU8('c') }), {
      ...ZIP_LIMITS,
      files: 2,
    });
    expect(few).toEqual({ files: [], problems: [{ name: '', problem: 'it holds more than 2 files' }] });
    const odd = zipSync({ 'a.sdp': strToU8('v=0') });
    odd[8] = 99;
    expect(readZip(odd).problems[0]?.problem).toContain('compression');
    expect(readZip(strToU8('v=0'))).toEqual({
      files: [],
      problems: [{ name: '', problem: 'this is not a zip archive' }],
    });
  });

  test('folders are passed over and names are taken as they are', () => {
    const read = readZip(zipSync({ 'deck/': new Uint8Array(), '../../a.sdp': strToU8('v=0') }));
    expect(read.files.map((f) => f.name)).toEqual(['../../a.sdp']);
    expect(read.problems).toEqual([]);
  });
});
