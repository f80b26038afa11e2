import { useMemo, useState } from 'react';
import type { ColumnWords } from '@/core/formats/table';
import type { Command } from '@/core/plan/commands';
import type { Plan } from '@/core/plan/plan';
import { Button, Modal } from '@/ui/parts/controls';
import { LeaveOrPreview, LookedAt } from '@/ui/parts/looked-at';
import { count } from '@/ui/parts/units';
import { previewBatch } from '@/ui/session/actions';
import type { ImportProps } from './asked';
import { ColumnMapper } from './column-mapper';
import { FileDrop } from './file-drop';
import { useMappedTable, type Read, type TableKind } from './mapped-table';
import { TableProblems } from './table-problems';

/** A line of a list, held against the plan. */
interface ListItem {
  readonly line: number;
  readonly verdict: 'differs' | 'same' | 'refused';
  readonly changes: readonly { readonly what: string; readonly before: string; readonly after: string }[];
  readonly problem: string | null;
}

/** What one kind of list says of itself to the dialog that takes it in. */
interface ListKind<C extends string, Row, Item extends ListItem> extends TableKind<
  C,
  Read<C> & { readonly rows: readonly Row[] }
> {
  readonly title: string;
  /** Of the field that takes the file. */
  readonly label: string;
  readonly hint: string;
  readonly words: ColumnWords<C>;
  /** Every line held against the plan, and the commands of those that can be. */
  readonly hold: (
    plan: Plan,
    rows: readonly Row[],
  ) => { readonly items: readonly Item[]; readonly commands: readonly Command[] };
  /** The channel that a line is about. */
  readonly whereOf: (item: Item) => string;
  /** Gives the plan's own list out, where no other place does. */
  readonly save?: (plan: Plan) => void;
}

/** Says a kind with its types as they follow from how it is read. */
export const listKind = <C extends string, Row, Item extends ListItem>(kind: ListKind<C, Row, Item>) => kind;

const FIRST_LINES = 200;
const MORE_LINES = 500;

/** A list taken in: every line is held against the plan, and nothing is applied before yes. */
export function ListDialog<C extends string, Row, Item extends ListItem>({
  kind,
  plan,
  found,
  onClose,
}: ImportProps & { readonly kind: ListKind<C, Row, Item> }) {
  const { table, open, map } = useMappedTable(kind, found);
  const [linesShown, setLinesShown] = useState(FIRST_LINES);
  const { items, commands } = useMemo(() => kind.hold(plan, table?.rows ?? []), [kind, plan, table]);
  const differing = items.filter((i) => i.verdict === 'differs');
  const refused = items.filter((i) => i.verdict === 'refused');
  const listed = [...refused, ...differing];
  const { save } = kind;
  return (
    <Modal title={kind.title} onClose={onClose} wide>
      <div className="flex flex-col gap-3">
        {save === undefined ? null : (
          <Button className="self-end" onClick={() => save(plan)}>
            Export this plan’s list
          </Button>
        )}
        <FileDrop
          words="Drop a file here, or choose one:"
          label={kind.label}
          accept=".csv,.tsv,text/csv,text/plain"
          now={table?.name ?? null}
          onFiles={([file]) => {
            if (file === undefined) return;
            setLinesShown(FIRST_LINES);
            void open(file);
          }}
        >
          {kind.hint} Columns <span className="font-mono">{kind.words.columns.join(', ')}</span>.
        </FileDrop>
        {table === null ? null : <ColumnMapper words={kind.words} {...table} onMap={map} />}
        <TableProblems problems={table?.problems ?? []} />
        {items.length > 0 ? (
          <p aria-live="polite">
            {differing.length} to change, {items.length - listed.length} as they are
            {refused.length > 0 ? <span className="text-madder">, {refused.length} refused</span> : ''}.
          </p>
        ) : null}
        {listed.length > 0 ? (
          <LookedAt
            label="What would be imported"
            columns={[{ title: 'Line', width: 'w-10' }, 'Channel', 'What changes']}
            below={
              listed.length > linesShown ? (
                <Button tone="quiet" onClick={() => setLinesShown(linesShown + MORE_LINES)}>
                  {listed.length - linesShown} more lines …
                </Button>
              ) : null
            }
          >
            {listed.slice(0, linesShown).map((item) => (
              <tr key={item.line} className="border-t border-line/60 align-top">
                <td className="font-mono text-[12px] text-dim">{item.line}</td>
                <td>{kind.whereOf(item)}</td>
                <td>
                  {item.problem !== null ? (
                    <span className="text-madder">{item.problem}</span>
                  ) : (
                    item.changes.map((c) => (
                      <span key={c.what} className="block">
                        {c.what}: <span className="text-dim">{c.before === '' ? 'none' : c.before}</span> →{' '}
                        {c.after === '' ? 'none' : c.after}
                      </span>
                    ))
                  )}
                </td>
              </tr>
            ))}
          </LookedAt>
        ) : null}
        <LeaveOrPreview
          words={count(differing.length, 'change')}
          isPossible={commands.length > 0}
          onLeave={onClose}
          onPreview={() => {
            onClose();
            void previewBatch(`import ${count(differing.length, 'line')} from ${table?.name ?? ''}`, commands);
          }}
        />
      </div>
    </Modal>
  );
}
