import { byName } from '@/core/plan/name-order';
import { useMemo, useState } from 'react';
import { commandsOf, moveLanes, spareFor, swapSenders, type LaneChange } from '@/core/edits/move-lanes';
import { channelCount, type Plan } from '@/core/plan/plan';
import { Choice, Tick } from '@/ui/parts/choice';
import { Labelled, Modal } from '@/ui/parts/controls';
import { CountField } from '@/ui/parts/count-field';
import { channelRuns, count } from '@/ui/parts/units';
import { channelName, deviceName } from '@/ui/parts/names';
import { previewBatch } from '@/ui/session/actions';
import { DialogActions } from '@/ui/parts/dialog-actions';

/** Devices with network channels, by name. */
function laneDevices(plan: Plan, side: 'send' | 'either'): { id: string; name: string }[] {
  return [...plan.devices.values()]
    .filter(
      (d) => channelCount(plan, d.id, 'send') > 0 || (side === 'either' && channelCount(plan, d.id, 'receive') > 0),
    )
    .sort(byName);
}

function DeviceChoice(props: {
  label: string;
  plan: Plan;
  side: 'send' | 'either';
  value: string;
  onChoose: (id: string) => void;
}) {
  const of = laneDevices(props.plan, props.side).map((d) => d.id);
  const word = (id: string) => deviceName(props.plan, id);
  return <Choice label={props.label} value={props.value} of={of} word={word} onChoose={props.onChoose} />;
}

/** What a change of lanes comes to, and yes or no. */
function Outcome({
  plan,
  title,
  change,
  nothing,
  onClose,
}: {
  plan: Plan;
  title: string;
  change: LaneChange | null;
  nothing: string;
  onClose: () => void;
}) {
  const moved = change?.subscriptions.length ?? 0;
  const byDevice = new Map<string, number[]>();
  for (const s of change?.stay ?? []) {
    byDevice.set(s.receiverDeviceId, [...(byDevice.get(s.receiverDeviceId) ?? []), s.receiverChannel]);
  }
  return (
    <>
      <p aria-live="polite" className="mt-3 text-dim">
        {moved === 0 ? nothing : `${count(moved, 'lane')} would change, in one step.`}
      </p>
      {byDevice.size > 0 ? (
        <ul className="mt-1 max-h-[20vh] overflow-y-auto text-ochre">
          {[...byDevice].map(([id, channels]) => (
            <li key={id}>
              {deviceName(plan, id)} {channelRuns(channels.sort((a, b) => a - b))}: left as it is,{' '}
              {change?.stay.find((s) => s.receiverDeviceId === id)?.why === 'taken'
                ? 'the new channel is subscribed already'
                : 'there is no such channel'}
              .
            </li>
          ))}
        </ul>
      ) : null}
      <DialogActions
        onCancel={onClose}
        disabled={change === null || moved === 0}
        onMain={() => {
          if (change === null) return;
          onClose();
          void previewBatch(title, commandsOf(change));
        }}
      >
        Preview
      </DialogActions>
    </>
  );
}

/** Everyone who hears one run of sender channels hears another, and the other way round. */
export function SwapDialog({
  plan,
  start,
  onClose,
}: {
  plan: Plan;
  start: { deviceId: string; channel: number } | null;
  onClose: () => void;
}) {
  const ids = laneDevices(plan, 'send').map((d) => d.id);
  const [first, setFirst] = useState({ deviceId: start?.deviceId ?? ids[0] ?? '', channel: start?.channel ?? 1 });
  const [second, setSecond] = useState({ deviceId: ids.find((id) => id !== first.deviceId) ?? '', channel: 1 });
  const [length, setLength] = useState(1);
  const max = Math.max(1, ...[first, second].map((s) => channelCount(plan, s.deviceId, 'send') - s.channel + 1));
  const change = useMemo(() => swapSenders(plan, first, second, length), [plan, first, second, length]);
  const words = (s: typeof first) =>
    `${deviceName(plan, s.deviceId)} ${length > 1 ? channelRuns([s.channel, s.channel + length - 1]).replace(', ', '–') : channelName(plan, s.deviceId, 'send', s.channel)}`;
  const end = (label: string, value: typeof first, set: (v: typeof first) => void) => (
    <div className="grid grid-cols-[1fr_1fr] gap-3">
      <DeviceChoice
        label={`${label} sender`}
        plan={plan}
        side="send"
        value={value.deviceId}
        onChoose={(deviceId) => set({ deviceId, channel: 1 })}
      />
      <Choice
        label={length > 1 ? 'From channel' : 'Channel'}
        value={value.channel}
        of={Array.from({ length: channelCount(plan, value.deviceId, 'send') }, (_, n) => n + 1)}
        word={(n) => `${n}  ${channelName(plan, value.deviceId, 'send', n)}`}
        onChoose={(channel) => set({ ...value, channel })}
      />
    </div>
  );
  return (
    <Modal title="Swap two senders everywhere" onClose={onClose}>
      <div className="flex flex-col gap-3">
        {end('First', first, setFirst)}
        {end('Second', second, setSecond)}
        <Labelled label={`How many channels, up to ${max}`}>
          <CountField max={max} value={length} onChange={setLength} className="w-20 text-right font-mono" />
        </Labelled>
      </div>
      <Outcome
        plan={plan}
        title={`swap ${words(first)} and ${words(second)}`}
        change={change}
        nothing={change === null ? 'The two runs overlap: there is nothing to swap.' : 'Neither has a lane.'}
        onClose={onClose}
      />
    </Modal>
  );
}

/** All lanes of one device, to another of the same channels: a spare takes over. */
export function MoveDialog({ plan, from: start, onClose }: { plan: Plan; from: string | null; onClose: () => void }) {
  const ids = laneDevices(plan, 'either').map((d) => d.id);
  const [from, setFrom] = useState(start ?? ids[0] ?? '');
  const [chosen, setTo] = useState<string | null>(null);
  const spare = useMemo(() => spareFor(plan, from), [plan, from]);
  const to = chosen ?? spare ?? '';
  const [sends, setSends] = useState(true);
  const [receives, setReceives] = useState(true);
  const change = useMemo(
    () => (from === to ? null : moveLanes(plan, from, to, { sends, receives })),
    [plan, from, to, sends, receives],
  );
  return (
    <Modal title="Move all lanes of a device to another" onClose={onClose}>
      <div className="flex flex-col gap-3">
        <DeviceChoice label="From" plan={plan} side="either" value={from} onChoose={setFrom} />
        <DeviceChoice label="To" plan={plan} side="either" value={to} onChoose={setTo} />
        <div>
          <Tick label="what it sends" is={sends} onChange={setSends} />
          <Tick label="what it receives" is={receives} onChange={setReceives} />
        </div>
      </div>
      <Outcome
        plan={plan}
        title={`move the lanes of ${deviceName(plan, from)} to ${deviceName(plan, to)}`}
        change={change}
        nothing={from === to ? 'Both are the same device.' : 'There is nothing to move.'}
        onClose={onClose}
      />
    </Modal>
  );
}
