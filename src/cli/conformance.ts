import { parseArgs } from 'node:util';
import { RESOURCE_KINDS } from '../core/formats/is04-rules';
import { conformanceOf, reasonOf } from '../field/conformance';

/** `npm run conformance -- --registry URL`: exit code 0 where nothing is an error, 1 where something is, 2 where nothing could be read. */
const USAGE = 'npm run conformance -- --registry http://10.20.0.5:8010';
const ORDER = ['error', 'caution', 'note'] as const;

async function main(): Promise<number> {
  let registry: string | undefined;
  try {
    ({ registry } = parseArgs({ options: { registry: { type: 'string' } }, strict: true }).values);
  } catch (error) {
    console.error((error as Error).message);
  }
  if (registry === undefined || !/^https?:\/\//.test(registry) || !URL.canParse(registry)) {
    console.error(`Demands the registry: ${USAGE}`);
    return 2;
  }
  const url = registry.replace(/\/+$/, '');
  let found;
  try {
    found = await conformanceOf(url);
  } catch (error) {
    console.error(`The registry at ${url} cannot be read: ${reasonOf(error)}`);
    return 2;
  }
  const { remarks, counts } = found;
  console.log(`Read, and changed nothing: ${RESOURCE_KINDS.map((kind) => `${counts[kind]} ${kind}s`).join(', ')}.`);
  for (const severity of ORDER) {
    // What many say in the same words is said once.
    const byProblem = new Map<string, string[]>();
    for (const r of remarks) {
      if (r.severity !== severity) continue;
      const words = `${r.standard}: ${r.problem}`;
      byProblem.set(words, [...(byProblem.get(words) ?? []), r.of]);
    }
    for (const [words, all] of byProblem) {
      console.log(`\n${severity}  ${words}`);
      for (const of of all.slice(0, 10)) console.log(`    ${of}`);
      if (all.length > 10) console.log(`    and ${all.length - 10} more`);
    }
  }
  const count = (severity: (typeof ORDER)[number]) => remarks.filter((r) => r.severity === severity).length;
  console.log(`\n${count('error')} errors, ${count('caution')} cautions, ${count('note')} notes.`);
  return count('error') > 0 ? 1 : 0;
}

process.exitCode = await main();
