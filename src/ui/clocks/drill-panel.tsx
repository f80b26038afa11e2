import type { Plan } from '@/core/plan/plan';
import type { ClockLoss, ClockStep } from '@/core/clocks/take-over';
import { paceWords, referenceName, secondsWords, stepWords } from '@/ui/parts/clock-words';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { deviceName } from '@/ui/parts/names';
import { linkName } from '@/ui/parts/network-words';
import { count } from '@/ui/parts/units';
import type { LossView } from '@/workers/clock-view';
import { withoutLost, type LostKind } from './selection';

const HOW = {
  silent: 'silent: sender or receiver lost',
  slips: 'sender and receiver drift',
  relocks: 'relock',
} as const;
const HOW_TONE = { silent: 'text-madder', slips: 'text-madder', relocks: 'text-ochre' } as const;
const SHOWN_MAX = 60;

/** What follows when something fails: who takes over and when, and which lanes are disturbed. */
export function DrillPanel({
  plan,
  loss,
  result,
  onLoss,
}: {
  plan: Plan;
  loss: ClockLoss;
  result: LossView | null;
  onLoss: (loss: ClockLoss | null) => void;
}) {
  const lost: { kind: LostKind; id: string; name: string }[] = [
    ...loss.deviceIds.map((id) => ({ kind: 'device' as const, id, name: deviceName(plan, id) })),
    ...loss.linkIds.map((id) => {
      const link = plan.links.get(id);
      return { kind: 'link' as const, id, name: link ? linkName(plan, link) : id };
    }),
    ...loss.referenceIds.map((id) => ({ kind: 'reference' as const, id, name: referenceName(plan, id) })),
  ];
  const lanes = result?.lanes.reduce((sum, l) => sum + l.lanes, 0) ?? 0;
  const locked = Math.max(0, ...(result?.steps.map((s) => s.lockedBy ?? 0) ?? []));
  return (
    <section aria-label="What if" className="mb-3 border-b border-line pb-3">
      <h2 className="pr-7 text-[14px] font-semibold">What if this fails</h2>
      <ul className="mt-1">
        {lost.map(({ kind, id, name }) => (
          <li key={`${kind} ${id}`} className="flex items-center gap-2">
            <span className="min-w-0 flex-1 truncate text-violet">{name}</span>
            <Button tone="quiet" onClick={() => onLoss(withoutLost(loss, kind, id))} aria-label={`Restore ${name}`}>
              Restore
            </Button>
          </li>
        ))}
      </ul>
      {result === null ? (
        <p role="status" className="text-dim">
          Calculating …
        </p>
      ) : (
        <>
          <p role="status" className="mt-1">
            {result.steps.length === 0
              ? 'The clocks stay as they are.'
              : `${count(result.steps.length, 'clock')} switch; the last is locked again after at most ${secondsWords(locked)}.`}{' '}
            {lanes === 0 ? 'No lane is disturbed.' : `${count(lanes, 'lane')} disturbed.`}
          </p>
          {result.steps.length > 0 ? (
            <>
              <PanelHeading>Take-over, in seconds from the loss</PanelHeading>
              <Steps plan={plan} steps={result.steps} />
            </>
          ) : null}
          {result.holdoverEnds.map((end) => (
            <div key={end.afterSeconds}>
              <PanelHeading>
                Hold-over of {end.deviceIds.map((id) => deviceName(plan, id)).join(', ')} ends after{' '}
                {secondsWords(end.afterSeconds)}
              </PanelHeading>
              {end.steps.length === 0 ? (
                <p className="text-dim">Its clock class gets worse; the grandmaster stays.</p>
              ) : (
                <Steps plan={plan} steps={end.steps} />
              )}
            </div>
          ))}
          {result.lanes.length > 0 ? (
            <>
              <PanelHeading>Lanes disturbed</PanelHeading>
              <ul className="text-[12px]">
                {result.lanes.slice(0, SHOWN_MAX).map((l) => (
                  <li key={`${l.receiverId} ${l.senderId}`} className="border-t border-line/60 py-0.5">
                    <span className="font-mono">{l.lanes}</span> from {deviceName(plan, l.senderId)} to{' '}
                    {deviceName(plan, l.receiverId)}: <span className={HOW_TONE[l.how]}>{HOW[l.how]}</span>
                  </li>
                ))}
              </ul>
              <More n={result.lanes.length - SHOWN_MAX} />
            </>
          ) : null}
          {result.paces.length > 0 ? (
            <>
              <PanelHeading>Media clock sources after it</PanelHeading>
              <ul className="text-[12px]">
                {result.paces.slice(0, SHOWN_MAX).map((p) => (
                  <li key={p.deviceId} className="border-t border-line/60 py-0.5">
                    {deviceName(plan, p.deviceId)}: {paceWords(plan, p.after)}
                  </li>
                ))}
              </ul>
              <More n={result.paces.length - SHOWN_MAX} />
            </>
          ) : null}
        </>
      )}
      <div className="mt-2">
        <Button onClick={() => onLoss(null)}>End the drill</Button>
      </div>
    </section>
  );
}

function Steps({ plan, steps }: { plan: Plan; steps: readonly ClockStep[] }) {
  return (
    <ol className="text-[12px]">
      {groupsOf(steps).map(({ step, deviceIds }) => (
        <li key={step.deviceId} className="grid grid-cols-[52px_1fr] gap-2 border-t border-line/60 py-0.5">
          <span className="font-mono text-dim">{step.from === step.to ? step.to : `${step.from}–${step.to}`}</span>
          <span className={step.what === 'alone' ? 'text-madder' : ''}>
            {deviceIds.length === 1 ? (
              <b className="font-medium">{deviceName(plan, step.deviceId)}</b>
            ) : (
              <b className="font-medium">{deviceIds.length} devices</b>
            )}{' '}
            {stepWords(plan, step, deviceIds.length > 1)}
            {step.lockedBy === null || step.what === 'leads' ? '' : `, locked by ${secondsWords(step.lockedBy)}`}
            {deviceIds.length > 1 ? (
              <span className="block text-dim">{deviceIds.map((id) => deviceName(plan, id)).join(', ')}</span>
            ) : null}
          </span>
        </li>
      ))}
    </ol>
  );
}

/** Devices that take the same step at the same time stand together. */
function groupsOf(steps: readonly ClockStep[]): { step: ClockStep; deviceIds: string[] }[] {
  const groups = new Map<string, { step: ClockStep; deviceIds: string[] }>();
  for (const step of steps) {
    const { what, grandmasterId, parentId, from, to, lockedBy } = step;
    const who = what === 'leads' ? step.deviceId : '';
    const key = [what, grandmasterId, parentId, from, to, lockedBy, who].join('|');
    const known = groups.get(key);
    if (known === undefined) groups.set(key, { step, deviceIds: [step.deviceId] });
    else known.deviceIds.push(step.deviceId);
  }
  return [...groups.values()];
}

function More({ n }: { n: number }) {
  return n > 0 ? <p className="text-dim">and {n} more</p> : null;
}
