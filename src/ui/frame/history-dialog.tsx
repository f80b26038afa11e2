import { byName } from '@/core/plan/name-order';
import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { ChevronDown, ChevronRight } from 'lucide-react';
import { useState } from 'react';
import type { Plan } from '@/core/plan/plan';
import type { HistoryDetail, HistoryEntry } from '@/server/messages';
import { Button, Modal, SelectField } from '@/ui/parts/controls';
import { changeWords, recordName } from '@/ui/parts/record-words';
import { count, timeOfDay } from '@/ui/parts/units';
import { takeBackStep } from '@/ui/session/actions';
import { ask } from '@/ui/session/ask';
import { usePlan } from '@/ui/session/plan-store';

const DID: Readonly<Record<HistoryEntry['kind'], string>> = { do: '', undo: 'Undone: ', redo: 'Redone: ' };

/** What was done to the plan: who, what, when. Any step, or part of one, can be looked at and taken back. */
export function HistoryDialog({ onClose }: { onClose: () => void }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const plan = usePlan((s) => s.plan);
  const revision = usePlan((s) => s.revision);
  const [device, setDevice] = useState('');
  const [openId, setOpenId] = useState<number | null>(null);
  const { data, error, hasNextPage, fetchNextPage, isFetching } = useInfiniteQuery({
    queryKey: ['history', planId, device, revision],
    queryFn: ({ pageParam }) =>
      ask('GET /api/plans/:planId/history', {
        planId,
        query: { ...(pageParam === null ? {} : { before: pageParam }), ...(device === '' ? {} : { device }) },
      }),
    initialPageParam: null as number | null,
    getNextPageParam: (page) => page.before,
    placeholderData: (previous) => previous,
  });
  if (plan === null) return null;
  const entries = data?.pages.flatMap((p) => p.entries) ?? [];
  const devices = [...plan.devices.values()].sort(byName);
  return (
    <Modal title="History" onClose={onClose} wide>
      <div className="mb-2 flex items-center gap-3">
        <SelectField
          autoFocus
          aria-label="Device in the history"
          value={device}
          onChange={(e) => setDevice(e.target.value)}
          className="max-w-[220px]"
        >
          <option value="">all devices</option>
          {devices.map((d) => (
            <option key={d.id} value={d.id}>
              {d.name}
            </option>
          ))}
        </SelectField>
        <span className="text-dim">Newest first. Open a step to see what it changed.</span>
      </div>
      {error !== null ? (
        <p role="alert" className="text-madder">
          The history could not be read: {error.message}
        </p>
      ) : null}
      {data !== undefined && entries.length === 0 ? (
        <p className="text-dim">{device === '' ? 'Nothing was changed yet.' : 'Nothing was changed at this device.'}</p>
      ) : (
        <ul
          aria-label="History"
          tabIndex={0}
          className="max-h-[56vh] overflow-y-auto focus-visible:outline-2 focus-visible:outline-jade"
        >
          {entries.map((entry) => (
            <Step
              key={entry.id}
              plan={plan}
              entry={entry}
              isOpen={entry.id === openId}
              onToggle={() => setOpenId(entry.id === openId ? null : entry.id)}
            />
          ))}
          {hasNextPage ? (
            <li className="border-t border-line/60 py-1">
              <Button tone="quiet" disabled={isFetching} onClick={() => void fetchNextPage()}>
                Older steps …
              </Button>
            </li>
          ) : null}
        </ul>
      )}
      <div className="mt-3 flex justify-end">
        <Button onClick={onClose}>Close</Button>
      </div>
    </Modal>
  );
}

function Step({
  plan,
  entry,
  isOpen,
  onToggle,
}: {
  plan: Plan;
  entry: HistoryEntry;
  isOpen: boolean;
  onToggle: () => void;
}) {
  return (
    <li className="border-t border-line/60">
      <button
        type="button"
        aria-expanded={isOpen}
        onClick={onToggle}
        className="flex w-full items-baseline gap-2 px-1 py-1 text-left hover:bg-raise focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
      >
        <span className="self-center text-dim" aria-hidden="true">
          {isOpen ? <ChevronDown size={13} /> : <ChevronRight size={13} />}
        </span>
        <span className="shrink-0 font-mono text-[12px] text-dim">{timeOfDay(entry.at)}</span>
        <span className={`min-w-0 flex-1 ${entry.isUndone ? 'text-dim line-through' : ''}`}>
          {DID[entry.kind]}
          {entry.title}
          {entry.isUndone ? <span className="sr-only"> (undone since)</span> : null}
        </span>
        <span className="max-w-[150px] shrink-0 truncate text-dim">{entry.author.name}</span>
        <span className="w-[72px] shrink-0 text-right text-[12px] text-dim">{count(entry.records, 'record')}</span>
      </button>
      {!isOpen ? null : entry.isKept ? (
        <StepDetail plan={plan} entry={entry} />
      ) : (
        <p className="px-6 pb-2 text-dim">What it changed is no longer kept.</p>
      )}
    </li>
  );
}

/** What a step changed, record by record; those that still stand are ticked and can be taken back. */
function StepDetail({ plan, entry }: { plan: Plan; entry: HistoryEntry }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const revision = usePlan((s) => s.revision);
  const { data, error } = useQuery({
    queryKey: ['history-entry', planId, entry.id, revision],
    queryFn: () => ask('GET /api/plans/:planId/history/:entryId', { planId, entryId: String(entry.id) }),
    placeholderData: (previous) => previous,
  });
  if (error !== null) return <p className="px-6 pb-2 text-madder">The step could not be read: {error.message}</p>;
  if (data === undefined) return <p className="px-6 pb-2 text-dim">Reading …</p>;
  return <Changes key={revision} plan={plan} detail={data} />;
}

function Changes({ plan, detail: { entry, changes } }: { plan: Plan; detail: HistoryDetail }) {
  const standing = changes.filter((c) => c.stands);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [isBusy, setBusy] = useState(false);
  const chosen = standing.filter((c) => !left.has(c.record));
  const hidden = entry.records - changes.length;
  const isWhole = chosen.length === changes.length && hidden >= 0;
  const takeBack = async () => {
    setBusy(true);
    await takeBackStep(entry.id, isWhole ? null : chosen.map((c) => c.record));
    setBusy(false);
  };
  return (
    <div className="px-6 pb-2">
      <ul className="max-h-[26vh] overflow-y-auto" tabIndex={0} aria-label={`Changes of “${entry.title}”`}>
        {changes.map((c) => (
          <li key={c.record} className="py-0.5">
            <label className="flex items-baseline gap-2">
              <input
                type="checkbox"
                className="accent-jade"
                checked={c.stands && !left.has(c.record)}
                disabled={!c.stands || !entry.isUndoable}
                onChange={(e) =>
                  setLeft((is) =>
                    e.target.checked ? new Set([...is].filter((r) => r !== c.record)) : new Set([...is, c.record]),
                  )
                }
              />
              <span className="min-w-0 flex-1">
                {recordName(plan, c.table, c.after ?? c.before)}:{' '}
                <span className="text-dim">{changeWords(plan, c.table, c.before, c.after)}</span>
                {c.stands ? null : (
                  <span className="text-ochre">
                    {' '}
                    · {c.by === null ? 'no longer there' : `changed since by ${c.by}`}
                  </span>
                )}
              </span>
            </label>
          </li>
        ))}
      </ul>
      {hidden > 0 ? <p className="text-dim">and {hidden} more records, taken back only with the whole step.</p> : null}
      {entry.isUndoable ? (
        <p className="mt-1">
          <Button disabled={isBusy || chosen.length === 0} onClick={() => void takeBack()}>
            Take back {isWhole ? 'this step' : `${chosen.length} of ${changes.length}`}
          </Button>
        </p>
      ) : (
        <p className="mt-1 text-dim">A record of what was sent. Send again to change the devices.</p>
      )}
    </div>
  );
}
