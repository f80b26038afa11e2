import { isFedByStreams, isTakenByStreams, type ChannelMap } from '../formats/is08';
import { terminalsOf, type Insides } from './terminals';
import { onceWith } from '../plan/once-for';

type Input = ChannelMap['inputs'][number];
type Output = ChannelMap['outputs'][number];

/**
 * A channel map (IS-08) as the terminals of a model. IS-08 has no word for terminals: an input or output that no stream can feed or take is the
 * terminal after which it is named, as printed on the case. Several of one name are one terminal, in the order of their ids.
 */
interface MappedTerminals {
  /** By terminal that is patched: the outputs that are its channels. */
  readonly fed: ReadonlyMap<string, readonly Output[]>;
  /** By terminal that can be patched to one of those: the inputs that are its channels. */
  readonly feeding: ReadonlyMap<string, readonly Input[]>;
}

const spelt = (name: string) => name.trim().toLowerCase();

export const mappedTerminals = onceWith((map: ChannelMap, model: Insides | undefined): MappedTerminals => {
  const terminals = model === undefined ? [] : terminalsOf(model);
  const named = <T extends { readonly name: string | null }>(items: readonly T[], name: string): T[] =>
    items.filter((i) => i.name !== null && spelt(i.name) === spelt(name));
  const ownInputs = map.inputs.filter((i) => i.receiverId === null && !isTakenByStreams(map, i));
  const ownOutputs = map.outputs.filter((o) => o.sourceId === null && !isFedByStreams(map, o));
  const fed = new Map<string, readonly Output[]>();
  const feeding = new Map<string, readonly Input[]>();
  for (const t of terminals) {
    if (t.patchFrom.length === 0) continue;
    const outputs = named(ownOutputs, t.name);
    const sources = terminals
      .filter((s) => t.patchFrom.includes(s.id))
      .map((s) => [s.id, named(ownInputs, s.name)] as const)
      .filter(([, inputs]) => inputs.length > 0);
    if (outputs.length === 0 || sources.length === 0) continue;
    fed.set(t.id, outputs);
    for (const [id, inputs] of sources) feeding.set(id, inputs);
  }
  return { fed, feeding };
});
