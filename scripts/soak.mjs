// `npm run soak`: hard use of real processes, with a table of figures. `npm run soak -- load kills` runs only these; figures are set as in
// `npm run soak -- kills rounds=50`. All of it takes about two hours; the figures of the last time are in docs/reliability.md.
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build } from './build.mjs';
import { floods } from './soak/floods.mjs';
import { kills } from './soak/kills.mjs';
import { load } from './soak/load.mjs';
import { memory } from './soak/memory.mjs';
import { requests } from './soak/requests.mjs';
import { silence } from './soak/silence.mjs';
import { strangers } from './soak/strangers.mjs';

const TRIALS = { load, requests, floods, silence, kills, strangers, memory };
const args = process.argv.slice(2);
const figures = Object.fromEntries(
  args.filter((a) => a.includes('=')).map((a) => [a.split('=')[0], Number(a.split('=')[1])]),
);
const chosen = args.filter((a) => !a.includes('='));
const unknown = chosen.find((name) => !(name in TRIALS));
if (unknown !== undefined) {
  console.error(`There is no trial ${unknown}: ${Object.keys(TRIALS).join(', ')}.`);
  process.exit(1);
}

await build();
const table = [];
let hasFailed = false;
for (const name of chosen.length > 0 ? chosen : Object.keys(TRIALS)) {
  const dataFolder = mkdtempSync(join(tmpdir(), 'jade-soak-'));
  const options = {
    dataFolder,
    port: 3396,
    registryPort: 18_960,
    panelPort: 18_961,
    devicePort: 18_962,
    sapPort: 18_965,
    isQuiet: true,
  };
  console.log(`${name} …`);
  try {
    for (const [what, value] of await TRIALS[name](options, figures)) table.push([name, what, value]);
  } catch (error) {
    hasFailed = true;
    const cause = error.cause?.code ?? error.cause?.message;
    table.push([
      name,
      'could not be brought to its end',
      cause === undefined ? error.message : `${error.message}: ${cause}`,
    ]);
    console.error(error);
  }
  rmSync(dataFolder, { recursive: true, force: true });
}
console.log('\n| trial | what | figure |\n|---|---|---|');
for (const row of table) console.log(`| ${row.join(' | ')} |`);
process.exit(hasFailed ? 1 : 0);
