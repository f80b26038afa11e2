'use client';

import { hasStreams } from '@/core/models/unknown-figures';
import { useState } from 'react';
import { freeAddressIn } from '@/core/edits/free';
import { parseAddress } from '@/core/network/address';
import type { Plan } from '@/core/plan/plan';
import { usesOfName } from '@/core/edits/rename';
import { passesOf, passingUnits, unitUse } from '@/core/signal/through';
import { isRouted } from '@/core/network/interfaces-table';
import type { Device } from '@/core/plan/devices-table';
import type { OpenCount } from '@/core/reckon/reckoning';
import type { RateHz } from '@/core/streams/format';
import { FieldEvents } from '@/ui/parts/field-events';
import { FindingList } from '@/ui/frame/finding-list';
import { LiveLine } from '@/ui/frame/live-line';
import { LossesNow } from '@/ui/frame/losses-list';
import { Tick } from '@/ui/parts/choice';
import { Button, Labelled, PanelHeading, SelectField } from '@/ui/parts/controls';
import { contestWords } from '@/ui/parts/loss-words';
import { ModelLink } from '@/ui/parts/model-link';
import { SeveralHeading } from '@/ui/parts/several-devices';
import { OneField } from '@/ui/parts/one-field';
import { BudgetBar } from '@/ui/parts/signs';
import { count, kHz, timeOfDay } from '@/ui/parts/units';
import { Age } from '@/ui/parts/age';
import { deviceName } from '@/ui/parts/names';
import { failureWords } from '@/ui/parts/send-words';
import { mapWords, ordersWords } from '@/ui/parts/lane-words';
import { reportProblem } from '@/ui/parts/report-problem';
import { commit } from '@/ui/session/actions';
import { api } from '@/ui/session/api';
import { deviceLive } from '@/ui/session/losses';
import { usePlan, type View } from '@/ui/session/plan-store';
import { ManyDevices } from '@/ui/parts/many-devices';
import { RenameDialog, type Rename } from './rename-dialog';

/** What a device spends and has left, where it is, what is wrong with it, and what it says of itself. */
export function GearPanel({
  plan,
  view,
  deviceId,
  selectedIds,
}: {
  plan: Plan;
  view: View;
  deviceId: string | null;
  /** All that is selected in the sheet; of several the settings are set together. */
  selectedIds: readonly string[];
}) {
  const selected = selectedIds.flatMap((id) => plan.devices.get(id) ?? []);
  const device = deviceId === null ? undefined : plan.devices.get(deviceId);
  if (device === undefined) {
    const findings = view.findings.filter((f) => f.area === 'gear');
    return (
      <>
        <h2 className="pr-7 text-[14px] font-semibold">Gear of this plan</h2>
        <p className="text-dim">{count(plan.devices.size, 'device')}.</p>
        <LossesNow plan={plan} area="gear" />
        <PanelHeading>Findings</PanelHeading>
        {findings.length === 0 ? (
          <p className="text-dim">Nothing that concerns the gear.</p>
        ) : (
          <FindingList findings={findings} plan={plan} />
        )}
        <Events plan={plan} />
      </>
    );
  }
  if (selected.length > 1) return <SeveralPanel plan={plan} view={view} devices={selected} />;
  return <DevicePanel key={device.id} plan={plan} view={view} device={device} />;
}

/** Several devices: what is wrong with any of them, and what can be set for all. */
function SeveralPanel({ plan, view, devices }: { plan: Plan; view: View; devices: readonly Device[] }) {
  const ids = new Set(devices.map((d) => d.id));
  const findings = view.findings.filter((f) => f.deviceIds.some((id) => ids.has(id)));
  return (
    <>
      <SeveralHeading devices={devices} />
      <ManyDevices plan={plan} devices={devices} />
      {findings.length > 0 ? (
        <>
          <PanelHeading>Findings</PanelHeading>
          <FindingList findings={findings} plan={plan} />
        </>
      ) : null}
    </>
  );
}

/** What happened in the field of late: to the devices of the plan, its cables and the registry. */
function Events({ plan }: { plan: Plan }) {
  const events = usePlan((s) => s.field.events);
  if (events.length === 0) return null;
  return (
    <>
      <PanelHeading>Events</PanelHeading>
      <FieldEvents plan={plan} events={events} label="Events in the field" />
    </>
  );
}

function DevicePanel({ plan, view, device }: { plan: Plan; view: View; device: Device }) {
  const model = plan.models.get(device.modelId);
  const budget = view.budgets.get(device.id);
  const findings = view.findings.filter((f) => f.deviceIds.includes(device.id));
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{device.name}</h2>
      <p className="text-dim">
        {model?.name}
        {model?.maker ? `, ${model.maker}` : ''}
      </p>
      <LiveLine plan={plan} deviceId={device.id} />
      {findings.length > 0 ? (
        <>
          <PanelHeading>Findings</PanelHeading>
          <FindingList findings={findings} plan={plan} />
        </>
      ) : null}
      {budget && model && hasStreams(model) ? (
        <>
          <PanelHeading>Budget</PanelHeading>
          <div className="flex flex-col gap-1">
            <Spent name="Channels in" of={budget.channelsReceive} />
            <Spent name="Channels out" of={budget.channelsSend} />
            {budget.channelPool ? <Spent name="Both, from one pool" of={budget.channelPool} /> : null}
            <Spent name="Streams in" of={budget.streamsReceive} />
            <Spent name="Streams out" of={budget.streamsSend} />
            {model.receiveMap === null ? null : (
              <p className="text-dim">Its channels are fed {mapWords(model.receiveMap)}.</p>
            )}
            {model.sendOrder === null ? null : (
              <p className="text-dim">Streams out, without a channel map: {ordersWords(model.sendOrder)}.</p>
            )}
            {model.receiveOrder === null ? null : (
              <p className="text-dim">Streams in, without a channel map: {ordersWords(model.receiveOrder)}.</p>
            )}
          </div>
        </>
      ) : null}
      <Through plan={plan} device={device} />
      <Settings plan={plan} device={device} />
      <Addresses plan={plan} device={device} />
      <InField device={device} />
      {model ? <ModelLink plan={plan} model={model} /> : null}
    </>
  );
}

function Spent({ name, of }: { name: string; of: OpenCount }) {
  if (of.limit === 0) return null;
  if (of.limit === null) {
    return (
      <p className="flex items-center justify-between gap-1">
        <span className="flex-1 whitespace-nowrap">{name}</span>
        <span className="font-mono text-[12px] text-ochre">{of.used} of not known</span>
      </p>
    );
  }
  return (
    <p className="flex items-center justify-between gap-1">
      <span className="flex-1 whitespace-nowrap">{name}</span>
      <BudgetBar used={of.used} limit={of.limit} label={name} />
      <span
        className={`w-[126px] whitespace-nowrap text-right font-mono text-[12px] ${of.used > of.limit ? 'text-madder' : 'text-dim'}`}
      >
        {of.used} of {of.limit}, {Math.max(0, of.limit - of.used)} left
      </span>
    </p>
  );
}

/** What a processing unit spends on those whose everything goes through it. */
function Through({ plan, device }: { plan: Plan; device: Device }) {
  const { members, passes, fed, heard, ownHeard } = unitUse(plan, device.id);
  if (members.length === 0) return null;
  const names = members.slice(0, 4).map((id) => deviceName(plan, id));
  return (
    <>
      <PanelHeading>Everything through it</PanelHeading>
      <p>
        {names.join(', ')}
        {members.length > names.length ? ` and ${members.length - names.length} more` : ''}{' '}
        {members.length === 1 ? 'goes' : 'go'} through it.
      </p>
      <table className="mt-1 w-full font-mono text-[12px]">
        <tbody>
          {(
            [
              ['passed, in', fed.length],
              ['passed, out', heard.length],
              ['its own players, out', ownHeard.length],
              ['together', fed.length + heard.length + ownHeard.length],
            ] as const
          ).map(([what, n], row) => (
            <tr key={what} className={row === 3 ? 'border-t border-line' : ''}>
              <td className="font-sans text-[13px] text-dim">{what}</td>
              <td className="text-right">{n}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-dim">
        {Math.max(0, passes - fed.length)} of {passes} passes left. However many hear a channel, it costs one in and one
        out.
      </p>
    </>
  );
}

function Settings({ plan, device }: { plan: Plan; device: Device }) {
  const model = plan.models.get(device.modelId);
  const save = (title: string, change: Partial<Omit<Device, 'id'>>) =>
    void commit(title, [{ kind: 'change-device', deviceId: device.id, change }]);
  const units = [...plan.devices.values()].filter(
    (d) =>
      d.id !== device.id && d.throughId === null && (passesOf(plan, d.id).outsOf.size > 0 || d.id === device.throughId),
  );
  const [asked, setAsked] = useState<Rename | null>(null);
  const [attempt, setAttempt] = useState(0);
  const fieldLabel = usePlan((s) => s.field.names.get(device.id) ?? null);
  const rename = (after: string) => {
    const title = `rename to ${after}, was ${device.name}`;
    const uses = usesOfName(plan, { deviceId: device.id }, after);
    if (uses.lanes + uses.labels.length === 0) return save(title, { name: after });
    const command = { kind: 'change-device' as const, deviceId: device.id, change: { name: after } };
    const fieldName = fieldLabel === after ? null : fieldLabel;
    setAsked({ before: device.name, after, title, command, uses, fieldName });
  };
  return (
    <>
      {asked === null ? null : (
        <RenameDialog
          plan={plan}
          rename={asked}
          onClose={() => {
            setAsked(null);
            setAttempt(attempt + 1);
          }}
        />
      )}
      <PanelHeading>Settings</PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <OneField
          label="Name"
          value={device.name}
          check={(v) =>
            v.trim() === '' ? 'A device needs a name.' : v.length > 200 ? 'At most 200 characters.' : null
          }
          onSave={(name) => rename(name.trim())}
          key={attempt}
          id="device-name"
        />
        <Labelled label="Place">
          <SelectField
            value={device.placeId ?? ''}
            onChange={(e) => save(`move ${device.name}`, { placeId: e.target.value || null })}
          >
            <option value="">Unassigned</option>
            {[...plan.places.values()].map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
          </SelectField>
        </Labelled>
        {model && model.ratesHz.length > 0 ? (
          <Labelled label="Rate">
            <SelectField
              value={device.rateHz}
              onChange={(e) =>
                save(`run ${device.name} at ${kHz(Number(e.target.value))} kHz`, {
                  rateHz: Number(e.target.value) as RateHz,
                })
              }
            >
              {model.ratesHz.map((r) => (
                <option key={r} value={r}>
                  {kHz(r)} kHz
                </option>
              ))}
            </SelectField>
          </Labelled>
        ) : null}
        <OneField
          label="Serial"
          value={device.serial ?? ''}
          check={(v) => (v.length > 80 ? 'At most 80 characters.' : null)}
          onSave={(serial) => save(`set the serial of ${device.name}`, { serial: serial.trim() || null })}
        />
        {model &&
        hasStreams(model) &&
        (units.length > 0 || device.throughId !== null) &&
        !passingUnits(plan).has(device.id) ? (
          <Labelled label="Signal path">
            <SelectField
              value={device.throughId ?? ''}
              onChange={(e) => {
                const throughId = e.target.value || null;
                const way = throughId === null ? 'directly' : `through ${deviceName(plan, throughId)}`;
                save(`let ${device.name} go ${way}`, { throughId });
              }}
            >
              <option value="">direct</option>
              {units.map((u) => (
                <option key={u.id} value={u.id}>
                  through {u.name}
                </option>
              ))}
            </SelectField>
          </Labelled>
        ) : null}
        {model && hasStreams(model) ? (
          <div className="col-span-2">
            <Tick
              label="Read-only patch (managed elsewhere)"
              is={device.isPatchForeign}
              onChange={(is) =>
                save(is ? `leave the patch of ${device.name} to others` : `take over the patch of ${device.name}`, {
                  isPatchForeign: is,
                })
              }
            />
          </div>
        ) : null}
      </div>
    </>
  );
}

function Addresses({ plan, device }: { plan: Plan; device: Device }) {
  const interfaces = [...(plan.interfaces.get(device.id)?.values() ?? [])].sort((a, b) => (a.name < b.name ? -1 : 1));
  if (interfaces.length === 0) return null;
  return (
    <>
      <PanelHeading>Addresses</PanelHeading>
      <div className="flex flex-col gap-2">
        {interfaces.map((i) => {
          const name = isRouted(i) ? 'Routes' : i.name === 'control' ? 'Control' : `Leg ${i.name}`;
          const free = i.subnetId === null ? null : freeAddressIn(plan, i.subnetId);
          const move = (address: string | null) =>
            void commit(`move ${device.name}, ${name} to ${address ?? 'no address'}`, [
              { kind: 'put-interface', interface: { ...i, address } },
            ]);
          return (
            <div key={i.name} className="grid grid-cols-2 gap-2">
              <OneField
                label={name}
                mono
                value={i.address ?? ''}
                check={(v) => (v.trim() === '' || parseAddress(v.trim()) !== null ? null : 'Not an IPv4 address.')}
                onSave={(address) => move(address.trim() || null)}
              />
              <Labelled label="in subnet">
                <SelectField
                  value={i.subnetId ?? ''}
                  onChange={(e) =>
                    void commit(`plug ${device.name}, ${name} into another subnet`, [
                      { kind: 'put-interface', interface: { ...i, subnetId: e.target.value || null } },
                    ])
                  }
                >
                  <option value="">none</option>
                  {[...plan.subnets.values()].map((s) => (
                    <option key={s.id} value={s.id}>
                      {s.name} {s.cidr}
                    </option>
                  ))}
                </SelectField>
              </Labelled>
              {free === null ? null : (
                <p className="col-span-2 -mt-1 text-[12px] text-dim">
                  Next free: <span className="font-mono">{free}</span>{' '}
                  <button
                    type="button"
                    aria-label={`${name}: use ${free}`}
                    onClick={() => move(free)}
                    className="underline hover:text-ink focus-visible:outline-2 focus-visible:outline-jade"
                  >
                    use it
                  </button>
                </p>
              )}
            </div>
          );
        })}
      </div>
    </>
  );
}

function InField({ device }: { device: Device }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const hasField = usePlan((s) => s.hasField);
  const view = usePlan((s) => s.field.devices.get(device.id));
  const name = usePlan((s) => s.field.names.get(device.id));
  const plan = usePlan((s) => s.plan);
  const field = usePlan((s) => s.field);
  const live = plan === null ? null : deviceLive(plan, field, device.id);
  const [isReading, setReading] = useState(false);
  if (!hasField) return null;
  const readAnew = async () => {
    setReading(true);
    try {
      await api.readAnew(planId, device.id);
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
              <span className="text-violet"> The device calls itself otherwise than the plan.</span>
            )}
          </p>
          {view.foundFrom === null || view.foundAt === null ? null : (
            <p className="text-dim">
              Told of by <span className="font-mono text-[12px]">{view.foundFrom}</span>,{' '}
              <Age at={view.foundAt} what="" />
              {view.answeredAt === null ? (
                ''
              ) : (
                <>
                  ; it answered itself <Age at={view.answeredAt} what="" />
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
          <Button onClick={() => void readAnew()} disabled={isReading}>
            Refresh
          </Button>
        ) : null}
        {device.nodeId !== null ? <Button onClick={unbind}>Unbind</Button> : null}
      </div>
    </>
  );
}
