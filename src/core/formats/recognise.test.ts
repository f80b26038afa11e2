import fc from 'fast-check';
import { strToU8, zipSync } from 'fflate';
import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from './plan-file';
import { writeNetworkCsv } from './network-csv';
import { writePatchList } from './patch-list';
import { recognise, SDP_MAX_BYTES } from './recognise';

const SDP = 'v=0\r\no=- 1 1 IN IP4 10.0.0.1\r\ns=Stage\r\n';
const kindOf = (text: string, name = 'x') => recognise(name, strToU8(text)).kind;
const harbour = planOfFile(skerryPoint());

describe('files are told apart by what is in them', () => {
  test('what the product itself writes is recognised, whatever it is called', () => {
    expect(kindOf(JSON.stringify(skerryPoint()), 'list.csv')).toBe('plan');
    expect(kindOf(JSON.stringify(skerryPoint(), null, 2))).toBe('plan');
    expect(kindOf(writePatchList(harbour), 'plan.json')).toBe('patch-list');
    expect(kindOf(writeNetworkCsv(harbour))).toBe('network-table');
    expect(kindOf(SDP)).toBe('sdp');
    expect(kindOf('{"nodes": []}')).toBe('nmos');
  });

  test('a byte order mark, other separators and quoted headers do not matter', () => {
    expect(kindOf(`\uFEFF${SDP}`)).toBe('sdp');
    expect(kindOf('Receiver;Channel\nA;1')).toBe('patch-list');
    expect(kindOf('"device"\t"port"\nA\tB')).toBe('network-table');
  });

  test('an archive is read for the descriptions in it, and what else is in it is named', () => {
    const zip = zipSync({ 'a/b.sdp': strToU8(SDP), 'notes.txt': strToU8('hello'), 'c.sdp': strToU8(SDP) });
    expect(recognise('all.zip', zip)).toEqual({
      kind: 'sdp',
      name: 'all.zip',
      sources: [
        { name: 'a/b.sdp', text: SDP },
        { name: 'c.sdp', text: SDP },
      ],
      unread: [{ name: 'notes.txt', problem: 'is not a session description' }],
    });
    expect(recognise('n.zip', zipSync({ 'notes.txt': strToU8('hello') }))).toMatchObject({
      kind: 'unknown',
      problem: 'the archive holds no session description: notes.txt is not a session description',
    });
  });

  test('what cannot be used says why', () => {
    const problem = (bytes: Uint8Array) => (recognise('x', bytes) as { problem?: string }).problem;
    expect(problem(new Uint8Array())).toBe('the file is empty');
    expect(problem(Uint8Array.from([0xff, 0xfe, 0x41, 0]))).toBe('the file is not text in UTF-8');
    expect(problem(strToU8(SDP + 'a=x\r\n'.repeat(SDP_MAX_BYTES / 4)))).toBe('the file is larger than 64 kB');
    expect(problem(strToU8('name,phone\n'))).toContain('names no column “receiver” (a patch list) or “device”');
    expect(problem(new Uint8Array(100_000_000).fill(65))).toBe('the file is larger than 60 MB');
  });

  test('law: any octets are answered', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 300 }), (bytes) => {
        expect(recognise('x', bytes).name).toBe('x');
      }),
    );
  });
});
