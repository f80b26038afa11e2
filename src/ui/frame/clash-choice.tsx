import type { Plan } from '@/core/plan/plan';
import type { TableName } from '@/core/plan/tables';
import { Button } from '@/ui/parts/controls';
import { changeWords, recordName, recordValue } from '@/ui/parts/record-words';
import { count } from '@/ui/parts/units';
import type { Clash } from '@/ui/session/plan-store';

const SHOWN_MAX = 3;
/** Records that a few words say in full. */
const SAYS_ALL: ReadonlySet<TableName> = new Set(['subscriptions', 'labels']);

/** Somebody else changed what one is about to change: both are shown, and one chooses. */
export function ClashChoice({
  plan,
  clashes,
  onReplace,
  onRest,
  onDiscard,
}: {
  plan: Plan;
  clashes: readonly Clash[];
  onReplace: () => void;
  /** Applies all but what clashes; missing: there is nothing else. */
  onRest?: (() => void) | undefined;
  onDiscard: () => void;
}) {
  const who = [...new Set(clashes.map((c) => c.by))].join(', ');
  return (
    <div role="alert" className="mt-1.5 rounded border border-l-[3px] border-line border-l-ochre px-2.5 py-1.5">
      <p>
        <b className="font-medium text-ochre">Changed meanwhile by {who}.</b> Choose which of the two stays:
      </p>
      <ul className="my-1">
        {clashes.slice(0, SHOWN_MAX).map((c) => (
          <li key={c.record}>
            {recordName(plan, c.table, c.theirs ?? c.yours)}:{' '}
            {c.theirs !== null && c.yours !== null && !SAYS_ALL.has(c.table) ? (
              <>
                theirs → yours: <b className="font-medium">{changeWords(plan, c.table, c.theirs, c.yours)}</b>
                <span className="text-dim"> (“{c.title}”)</span>
              </>
            ) : (
              <>
                theirs <b className="font-medium">{recordValue(plan, c.table, c.theirs)}</b>
                <span className="text-dim"> (“{c.title}”)</span>, yours{' '}
                <b className="font-medium">{recordValue(plan, c.table, c.yours)}</b>
              </>
            )}
          </li>
        ))}
        {clashes.length > SHOWN_MAX ? <li className="text-dim">and {clashes.length - SHOWN_MAX} more</li> : null}
      </ul>
      <div className="flex flex-wrap gap-2">
        {onRest === undefined ? null : <Button onClick={onRest}>Keep theirs, apply the rest</Button>}
        <Button onClick={onReplace}>Replace theirs ({count(clashes.length, 'record')})</Button>
        <Button onClick={onDiscard}>Discard mine</Button>
      </div>
    </div>
  );
}
