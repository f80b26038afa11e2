import type { FieldProblem } from '@/core/plan/table';
import { freeId } from '@/core/edits/propose-devices';
import type { Model } from '@/core/models/models-table';
import { PLAIN_TERMINAL, type StatedTerminal } from '@/core/signal/terminal-shape';
import { terminalProblem, terminalsOf } from '@/core/signal/terminals';
import { Button } from '@/ui/parts/controls';
import { OneTerminal } from './one-terminal';

const TERMINALS_MAX = 64;

/** What a model has beside the network: sockets, strips, buses, and how its channels can be led. Patches of the plan hold on to terminals by their ids. */
export function TerminalsField({
  model,
  terminals,
  onSet,
}: {
  /** As it would be with what was set so far. */
  model: Model;
  terminals: readonly StatedTerminal[];
  onSet: (terminals: readonly StatedTerminal[]) => void;
}) {
  const all = terminalsOf({ ...model, terminals });
  const problem = terminalProblem({ ...model, terminals });
  const nameOf = (id: string) => all.find((t) => t.id === id)?.name ?? id;
  const put = (n: number, change: Partial<StatedTerminal>) =>
    onSet(terminals.map((t, k) => (k === n ? { ...t, ...change } : t)));
  const unstated = all.filter(
    (t) => (t.kind === 'network' || t.kind === 'slots') && !terminals.some((s) => s.id === t.id),
  );
  const add = () => {
    const id = freeId('terminal', new Map(all.map((t) => [t.id, t])));
    const name = `Terminal ${terminals.length + 1}`;
    onSet([...terminals, { ...PLAIN_TERMINAL, id, name, kind: 'connector', direction: 'in', channels: 8 }]);
  };
  return (
    <div className="mt-1 flex flex-col gap-1">
      {terminals.map((terminal, n) => (
        <OneTerminal
          key={terminal.id}
          terminal={terminal}
          all={all}
          hasOtherSide={model.clock?.clockGroups === 2}
          onSet={(change) => put(n, change)}
          onRemove={() => onSet(terminals.filter((_, k) => k !== n))}
        />
      ))}
      {problem === null ? null : (
        <p role="alert" className="text-[12px] text-madder">
          {problemWords(problem, terminals, nameOf)}
        </p>
      )}
      {terminals.length >= TERMINALS_MAX ? null : (
        <span className="mt-1 flex flex-wrap items-center gap-2 text-[12px]">
          <Button onClick={add}>Add a terminal</Button>
          {unstated.map((t) => (
            <Button
              key={t.id}
              onClick={() => {
                const { normalledChannels: _count, ...stated } = t;
                onSet([...terminals, stated]);
              }}
            >
              State how {t.name.toLowerCase()} is patched
            </Button>
          ))}
        </span>
      )}
    </div>
  );
}

const FIELD_WORDS: Readonly<Record<string, string>> = {
  normalledTo: 'Normalled to',
  patchFrom: 'Patched from',
  sendsFrom: 'Sends from',
  mixes: 'Always mixes all of',
};

/** Why the terminals cannot be so: at which of them, and what of it. */
function problemWords(
  { path, reason, value, limit }: FieldProblem,
  terminals: readonly StatedTerminal[],
  nameOf: (id: string) => string,
): string {
  const [, n, field = ''] = /^terminals\[(\d+)\]\.(\w+)/.exec(path) ?? [];
  const place = `${terminals[Number(n)]?.name ?? path}, ${FIELD_WORDS[field] ?? field}`;
  if (reason === 'unknown') return `${place}: there is no terminal ${value} any more.`;
  if (limit === 'no ring') return `${place}: what it is normalled to is normalled to it again.`;
  if (limit === 'bus') return `${place}: a bus alone can have that.`;
  if (limit === 'outputs and insides') return `${place}: an input is fed from outside alone.`;
  return `${place}: ${nameOf(String(value))} is an output, and only inputs and insides can feed.`;
}
