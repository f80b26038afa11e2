import { compareNames } from '@/core/plan/name-order';
import Link from 'next/link';
import { useState, type ReactNode } from 'react';
import { Age } from '@/ui/parts/age';
import { Button, Modal } from '@/ui/parts/controls';
import { filtered, searchFor } from '@/ui/parts/find-text';
import { FieldEvents } from '@/ui/parts/field-events';
import { openDialog } from './frame-dialog';
import { followedWord, liveWords } from '@/ui/parts/loss-words';
import { LookedAt } from '@/ui/parts/looked-at';
import { count, timeOfDay } from '@/ui/parts/units';
import { failureWords } from '@/ui/parts/send-words';
import { isFollowed } from '@/core/plan/followed';
import { deviceLive, useLosses, type DeviceLive } from '@/ui/session/losses';
import { usePlan } from '@/ui/session/plan-store';
import { FilterField } from '@/ui/parts/filter-field';

const ROWS_MAX = 300;
const EVENTS_MAX = 8;

/** Which devices of the plan answer, since when not, and what happened of late: what is behind the count in the top bar. */
export function FieldDialog({ onClose }: { onClose: () => void }) {
  const plan = usePlan((s) => s.plan);
  const planId = usePlan((s) => s.planId) ?? '';
  const field = usePlan((s) => s.field);
  const losses = useLosses();
  const [text, setText] = useState('');
  if (plan === null) return null;
  const waitingOf = new Map(losses.all.flatMap((l) => (l.kind === 'device' ? [[l.deviceId, l.waiting] as const] : [])));
  const all = [...plan.devices.values()]
    .filter((d) => isFollowed(plan, d.id) || field.devices.has(d.id))
    .map((device) => {
      const live = deviceLive(plan, field, device.id);
      return { device, live, place: plan.places.get(device.placeId ?? '')?.name ?? '' };
    })
    .sort((a, b) => rank(a.live) - rank(b.live) || compareNames(a.device.name, b.device.name));
  const rows = filtered(all, searchFor(text), (r) => `${r.device.name} ${r.place} ${liveWords(r.live)}`);
  const switches = [...field.switches].filter(([id]) => plan.devices.has(id));
  const registry = field.registry.get('');
  return (
    <Modal title="Devices in the field" onClose={onClose} wide>
      <div className="mb-2 flex items-center gap-3">
        <FilterField autoFocus what="devices in the field" value={text} onChange={setText} className="w-[180px]" />
        <Button className="ml-auto" onClick={() => openDialog('places')}>
          Discovery …
        </Button>
      </div>
      {registry === undefined ? null : (
        <p className="mb-2 text-dim">
          {registry.isConnected
            ? `A device that leaves is noticed within ${registry.noticedWithinMs / 1000} s; one that answers nothing for ${Math.round(registry.notKnownAfterMs / 1000)} s is not known.`
            : `The ${followedWord(registry.url)} is offline${registry.because === null ? '' : `: ${registry.because}`}.`}
        </p>
      )}
      {rows.length === 0 ? (
        <p className="text-dim">No device passes this filter.</p>
      ) : (
        <LookedAt
          label="Devices in the field"
          columns={[
            'Device',
            'Place',
            { title: 'State', width: 'w-[170px]' },
            { title: 'Last answer', width: 'w-[124px]' },
            { title: 'Lanes waiting', width: 'w-[96px]' },
          ]}
          below={
            rows.length > ROWS_MAX ? (
              <p className="mt-1 text-dim">{rows.length - ROWS_MAX} more: filter to see them.</p>
            ) : null
          }
        >
          {rows.slice(0, ROWS_MAX).map(({ device, live, place }) => (
            <tr key={device.id} className="border-t border-line/60 align-top">
              <td className="pr-2">
                <Link
                  href={`/plans/${planId}/gear?sel=${encodeURIComponent(device.id)}`}
                  onClick={onClose}
                  className="underline-offset-2 hover:underline focus-visible:outline-2 focus-visible:outline-jade"
                >
                  {device.name}
                </Link>
              </td>
              <td className="pr-2 text-dim">{place}</td>
              <td className={isGood(live) ? 'pr-2' : 'pr-2 text-ochre'}>
                {liveWords(live)}
                {live.is === 'answering' && live.failure !== null ? `: ${failureWords(live.failure)}` : ''}
              </td>
              <td className="font-mono text-[12px]">
                {lastAnswer(live, field.devices.get(device.id)?.answeredAt ?? null)}
              </td>
              <td className="text-right font-mono text-[12px]">{waitingOf.get(device.id) || ''}</td>
            </tr>
          ))}
        </LookedAt>
      )}
      {switches.length === 0 ? null : (
        <>
          <h3 className="mt-3 mb-1 text-[12px] font-medium text-faint">Switches (RESTCONF)</h3>
          <ul className="max-h-[14vh] overflow-y-auto" tabIndex={0} aria-label="Switches in the field">
            {switches.map(([id, { readAt, failure }]) => (
              <li key={id} className={failure === null ? '' : 'text-ochre'}>
                {plan.devices.get(id)?.name}: {failure === null ? 'answering' : failureWords(failure)}{' '}
                {readAt === null ? '' : <Age at={readAt} />}
              </li>
            ))}
          </ul>
        </>
      )}
      {field.events.length === 0 ? null : (
        <>
          <h3 className="mt-3 mb-1 text-[12px] font-medium text-faint">
            Events, newest first
            {field.events.length > EVENTS_MAX ? `; ${count(field.events.length, 'event')} in Gear` : ''}
          </h3>
          <FieldEvents plan={plan} events={field.events.slice(0, EVENTS_MAX)} label="Latest events" />
        </>
      )}
    </Modal>
  );
}

/** Those that need looking at come first. */
function rank(live: DeviceLive): number {
  if (live.is === 'offline' || live.is === 'contested') return 0;
  if (live.is === 'answering') return live.failure === null ? 2 : 1;
  return live.is === 'never-seen' ? 3 : 4;
}
const isGood = (live: DeviceLive) => rank(live) >= 2;

/** When it last answered, as far as that is known. */
function lastAnswer(live: DeviceLive, answeredAt: number | null): ReactNode {
  if (live.is === 'offline') return live.since === null ? '–' : `before ${timeOfDay(live.since)}`;
  if (live.is !== 'answering') return '–';
  return answeredAt === null ? 'registered' : <Age at={answeredAt} />;
}
