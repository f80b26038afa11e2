// Makes what the server loads of the build lighter. Two things cost it some twenty megabytes: a source text with a single character beyond Latin-1 takes
// two octets for each of its characters in memory, and the bundler writes the same chunk once for every group of routes.
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** Escapes characters beyond Latin-1, as they may stand in any string, template or expression; one after a backslash is left as it is. */
export function inLatin1(source) {
  return source.replace(/(\\?)([\u0100-\uffff])/g, (whole, backslash, character) =>
    backslash === '' ? `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}` : whole,
  );
}

const withoutMap = (source) => source.replace(/\n\/\/# sourceMappingURL=.*\s*$/, '');

/** @param folder a folder of chunks. Those that are alike but for the name of their source map become one, which the others hand on. */
export function lighten(folder) {
  if (!existsSync(folder)) return;
  const first = new Map();
  for (const file of readdirSync(folder).sort()) {
    if (!file.endsWith('.js')) continue;
    const source = readFileSync(join(folder, file), 'utf8');
    const key = withoutMap(source);
    const isList = source.startsWith('module.exports = [');
    const known = isList ? first.get(key) : undefined;
    if (known === undefined) {
      first.set(key, file);
      const lighter = inLatin1(source);
      if (lighter !== source) writeFileSync(join(folder, file), lighter);
    } else writeFileSync(join(folder, file), `module.exports = require(${JSON.stringify(`./${known}`)});\n`);
  }
}
