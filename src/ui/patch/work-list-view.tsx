import { useMemo, useRef, type KeyboardEvent } from 'react';
import { workList, type WorkItem } from '@/core/patch/work-list';
import type { Plan } from '@/core/plan/plan';
import { BudgetBar } from '@/ui/parts/signs';
import { PrintSheet } from '@/ui/parts/print-sheet';
import { timeOfDay } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { commit } from '@/ui/session/actions';
import { thisAuthor } from '@/ui/session/author';
import { useMinute } from '@/ui/session/minute';
import { usePlan } from '@/ui/session/plan-store';
import { workWords } from './work-words';

/** So many entries are shown at once; paper takes all. */
const SHOWN_MAX = 600;

/** What hands have to do at devices, to be ticked off and printed. */
export function WorkListView({
  plan,
  deviceIds,
  openOnly,
  isPreview,
}: {
  plan: Plan;
  deviceIds: readonly string[];
  openOnly: boolean;
  isPreview: boolean;
}) {
  const patches = usePlan((s) => s.field.devicePatches);
  const all = useMemo(
    () => deviceIds.map((id) => ({ id, items: workList(plan, id, (t) => patches.get(id)?.[t] !== undefined) })),
    [plan, deviceIds, patches],
  );
  const list = useRef<HTMLDivElement>(null);
  const now = useMinute();
  const total = all.reduce((sum, d) => sum + d.items.length, 0);
  const done = all.reduce((sum, d) => sum + d.items.filter((i) => i.done.is === 'done').length, 0);
  const wanted = all
    .map(({ id, items }) => ({ id, items: openOnly ? items.filter((i) => i.done.is !== 'done') : items }))
    .filter((d) => d.items.length > 0);
  const shown = firstOf(wanted, SHOWN_MAX);
  const left = wanted.reduce((sum, d) => sum + d.items.length, 0) - shown.reduce((sum, d) => sum + d.items.length, 0);
  /** From one box to the next, so that a long list needs no Tab for each. */
  const onKeyDown = (e: KeyboardEvent) => {
    const by = e.key === 'ArrowDown' ? 1 : e.key === 'ArrowUp' ? -1 : 0;
    if (by === 0) return;
    const boxes = [...(list.current?.querySelectorAll<HTMLInputElement>('input[type=checkbox]') ?? [])];
    const next = boxes[boxes.indexOf(document.activeElement as HTMLInputElement) + by];
    if (next === undefined) return;
    e.preventDefault();
    next.focus();
    next.scrollIntoView({ block: 'nearest' });
  };
  const title = deviceIds.length === 1 ? deviceName(plan, deviceIds[0] ?? '') : plan.settings.name;
  return (
    <>
      <div className="flex h-8 shrink-0 items-center gap-3 border-b border-line bg-panel px-3 text-[12px] text-dim">
        <BudgetBar used={done} limit={total} label="Done" />
        <span role="status">
          {total === 0 ? 'Nothing to do by hand' : `${done} of ${total} done`}
          {left > 0 ? `, the first ${SHOWN_MAX} of those wanted are shown` : ''}
        </span>
      </div>
      <div
        ref={list}
        onKeyDown={onKeyDown}
        className="min-h-0 flex-1 overflow-y-auto px-3 pb-4"
        role="region"
        aria-label="Work list"
        tabIndex={0}
      >
        {shown.length === 0 ? (
          <p className="py-4 text-dim">
            {total === 0
              ? 'Nothing is plugged in, cabled, set or patched by hand here. What is sent over the network is not on this list.'
              : 'Everything is done.'}
          </p>
        ) : null}
        {shown.map(({ id, items }) => (
          <section key={id} aria-labelledby={`work-${id}`}>
            <h2 id={`work-${id}`} className="sticky top-0 border-b border-line bg-bg pt-3 pb-1 font-medium">
              {deviceName(plan, id)}
              <span className="font-normal text-dim"> {placeOf(plan, id)}</span>
            </h2>
            <ul>
              {items.map((item) => (
                <Entry key={item.key} plan={plan} item={item} isPreview={isPreview} />
              ))}
            </ul>
          </section>
        ))}
      </div>
      <PrintSheet title={`${title}: work list`}>
        {() => (
          <>
            <p>
              {done} of {total} done, {timeOfDay(now, now)}
            </p>
            {wanted.map(({ id, items }) => (
              <section key={id}>
                <h2>{[deviceName(plan, id), placeOf(plan, id)].filter(Boolean).join(', ')}</h2>
                <table>
                  <tbody>
                    {items.map((item) => {
                      const { what, detail } = workWords(plan, item);
                      return (
                        <tr key={item.key}>
                          <td>{item.done.is === 'done' ? '☒' : '☐'}</td>
                          <td>{what}</td>
                          <td>{detail}</td>
                          <td>{doneWords(item)}</td>
                        </tr>
                      );
                    })}
                  </tbody>
                </table>
              </section>
            ))}
          </>
        )}
      </PrintSheet>
    </>
  );
}

const placeOf = (plan: Plan, deviceId: string): string =>
  plan.places.get(plan.devices.get(deviceId)?.placeId ?? '')?.name ?? '';

function firstOf<D extends { readonly items: readonly WorkItem[] }>(devices: readonly D[], most: number): D[] {
  const shown: D[] = [];
  let left = most;
  for (const d of devices) {
    if (left <= 0) break;
    shown.push({ ...d, items: d.items.slice(0, left) });
    left -= d.items.length;
  }
  return shown;
}

function doneWords({ done }: WorkItem): string {
  if (done.is === 'open') return '';
  const when = `${done.tick.by ?? ''} ${timeOfDay(done.tick.at)}`.trim();
  return done.is === 'done' ? when : `changed since it was done (${when})`;
}

function Entry({ plan, item, isPreview }: { plan: Plan; item: WorkItem; isPreview: boolean }) {
  const { what, detail } = workWords(plan, item);
  const { deviceId, key, as, done } = item;
  const isDone = done.is === 'done';
  const set = (is: boolean) =>
    void commit(
      `${is ? 'tick off' : 'open again'} ${deviceName(plan, deviceId)}, ${what}`,
      is
        ? [{ kind: 'put-tick', tick: { deviceId, item: key, as, by: thisAuthor().name, at: Date.now() } }]
        : [{ kind: 'remove-tick', deviceId, item: key }],
    );
  return (
    <li className="border-b border-line/60">
      <label className="flex items-baseline gap-2 py-1">
        <input
          type="checkbox"
          className="translate-y-px accent-jade"
          checked={isDone}
          disabled={isPreview}
          onChange={(e) => set(e.target.checked)}
        />
        <span className={`min-w-0 break-words ${isDone ? 'text-dim' : ''}`}>{what}</span>
        <span className="min-w-0 flex-1 break-words text-[12px] text-dim">{detail}</span>
        <span className={`shrink-0 text-[12px] ${done.is === 'changed' ? 'text-ochre' : 'text-dim'}`}>
          {doneWords(item)}
        </span>
      </label>
    </li>
  );
}
