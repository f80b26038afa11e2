import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const script = join(__dirname, '../../scripts/lighten-chunks.mjs');
const lighten = (folder: string) =>
  execFileSync(process.execPath, [
    '--input-type=module',
    '-e',
    `import { lighten } from ${JSON.stringify(`file://${script}`)}; lighten(${JSON.stringify(folder)});`,
  ]);

describe('chunks of the build', () => {
  let folder = '';
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'chunks-'));
  });
  afterEach(() => rmSync(folder, { recursive: true }));
  const write = (file: string, source: string) => writeFileSync(join(folder, file), source);
  const read = (file: string) => readFileSync(join(folder, file), 'utf8');
  const required = (file: string): unknown => createRequire(join(folder, 'x.js'))(`./${file}`);

  test('say the same in characters of one octet each: quotes, arrows, pictures, in strings, templates and expressions', () => {
    const list =
      'module.exports = [1, "“a” → b…", `“${1 + 1}” 🎛`, "„🎛“".replace(/[→🎛]/gu, "x"), "é", /“/.test("“")];\n';
    write('a.js', list);
    write('before.js', list);
    lighten(folder);
    expect(read('a.js')).toMatch(/^[\x00-\xff]*$/);
    expect(required('a.js')).toEqual([1, '“a” → b…', '“2” 🎛', '„x“', 'é', true]);
  });

  test('one after a backslash stays as it is', () => {
    write('a.js', 'module.exports = ["\\“ \\\\→ é"];\n');
    const before = read('a.js');
    lighten(folder);
    expect(read('a.js')).toBe(before);
    expect(required('a.js')).toEqual(['“ \\→ é']);
  });

  test('that are alike but for their source map are one, which the others hand on; others and what is no list stay', () => {
    write('a.js', 'module.exports = [7, () => "→"];\n//# sourceMappingURL=a.js.map');
    write('b.js', 'module.exports = [7, () => "→"];\n//# sourceMappingURL=b.js.map');
    write('c.js', 'module.exports = [8, () => "→"];\n//# sourceMappingURL=c.js.map');
    write('d.js', 'exports.x = 1;\n');
    write('e.js', 'exports.x = 1;\n');
    lighten(folder);
    expect(required('b.js')).toBe(required('a.js'));
    expect((required('b.js') as [number, () => string])[1]()).toBe('→');
    expect(read('b.js').length).toBeLessThan(60);
    expect((required('c.js') as [number])[0]).toBe(8);
    expect([read('d.js'), read('e.js')]).toEqual(['exports.x = 1;\n', 'exports.x = 1;\n']);
    // Once more changes nothing.
    const all = ['a.js', 'b.js', 'c.js'].map(read);
    lighten(folder);
    expect(['a.js', 'b.js', 'c.js'].map(read)).toEqual(all);
  });
});
