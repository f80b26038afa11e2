import { useState } from 'react';
import type { Plan } from '@/core/plan/plan';
import type { Device } from '@/core/plan/devices-table';
import { FieldEvents } from '@/ui/parts/field-events';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { contestWords } from '@/ui/parts/loss-words';
import { timeOfDay } from '@/ui/parts/units';
import { Age } from '@/ui/parts/age';
import { failureWords } from '@/ui/parts/send-words';
import { reportProblem } from '@/ui/parts/report-problem';
import { commit } from '@/ui/session/actions';
import { ask } from '@/ui/session/ask';
import { deviceLive } from '@/ui/session/losses';
import { usePlan } from '@/ui/session/plan-store';

/** What happened in the field of late: to the devices of the plan, its cables and the registry. */
export function Events({ plan }: { plan: Plan }) {
  const events = usePlan((s) => s.field.events);
  if (events.length === 0) return null;
  return (
    <>
      <PanelHeading>Events</PanelHeading>
      <FieldEvents plan={plan} events={events} label="Events in the field" />
    </>
  );
}

/** The node that a device is bound to, and what it says of itself. */
export function InField({ device }: { device: Device }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const hasField = usePlan((s) => s.hasField);
  const view = usePlan((s) => s.field.devices.get(device.id));
  const name = usePlan((s) => s.field.names.get(device.id));
  const plan = usePlan((s) => s.plan);
  const field = usePlan((s) => s.field);
  const live = plan === null ? null : deviceLive(plan, field, device.id);
  const [isReading, setReading] = useState(false);
  if (!hasField) return null;
  const readAgain = async () => {
    setReading(true);
    try {
      await ask('POST /api/plans/:planId/read-again', { planId, body: { deviceId: device.id } });
    } catch (error) {
      reportProblem(error, 'Not read');
    }
    setReading(false);
  };
  const unbind = () =>
    void commit(`unbind ${device.name}`, [
      { kind: 'change-device', deviceId: device.id, change: { nodeId: null, nodeDeviceId: null } },
    ]);
  return (
    <>
      <PanelHeading>In the field</PanelHeading>
      {view === undefined ? (
        <p className="text-dim">
          {plan !== null && live?.is === 'contested'
            ? `${contestWords(plan, device.id, live.contest)}. ${live.contest.by === 'id' ? 'Each box needs its own.' : 'Give each box its own, or bind the right one by hand.'}`
            : live?.is === 'offline'
              ? live.since === null
                ? 'Offline: it has not been seen since the server started, and was sent what it should carry.'
                : `Offline since ${timeOfDay(live.since)}.`
              : device.nodeId === null
                ? 'On paper: no node answers to its serial or addresses.'
                : 'Bound by hand to a node that is not there.'}
        </p>
      ) : (
        <>
          <p>
            Bound to <b className="font-medium">{name}</b> by {view.boundBy}.
            {name === device.name ? (
              ''
            ) : (
              <span className="text-violet"> The name in the device differs from the plan.</span>
            )}
          </p>
          {view.foundFrom === null || view.foundAt === null ? null : (
            <p className="text-dim">
              Reported by <span className="font-mono text-[12px]">{view.foundFrom}</span>,{' '}
              <Age at={view.foundAt} what="" />
              {view.answeredAt === null ? (
                ''
              ) : (
                <>
                  ; answering, read <Age at={view.answeredAt} what="" />
                </>
              )}
              .
            </p>
          )}
          {view.failure ? <p className="text-madder">The last reading failed: {failureWords(view.failure)}.</p> : null}
        </>
      )}
      <div className="mt-2 flex gap-2">
        {view ? (
          <Button onClick={() => void readAgain()} disabled={isReading}>
            Refresh
          </Button>
        ) : null}
        {device.nodeId !== null ? <Button onClick={unbind}>Unbind</Button> : null}
      </div>
    </>
  );
}
