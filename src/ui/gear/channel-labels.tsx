import { useState } from 'react';
import type { Plan } from '@/core/plan/plan';
import { labelledCount, labelOf } from '@/core/plan/plan';
import type { Device } from '@/core/plan/devices-table';
import type { Side } from '@/core/plan/labels-table';
import { textColumn } from '@/core/formats/pasted-block';
import { labelsFromSenders, usesOfName } from '@/core/edits/rename';
import { labelLimits, proposeShortLabels, shortened } from '@/core/edits/short-labels';
import { CountField } from '@/ui/parts/count-field';
import { Button, Labelled, Modal, TextField } from '@/ui/parts/controls';
import { BudgetBar } from '@/ui/parts/signs';
import { ViewTabs } from '@/ui/parts/view-tabs';
import { count } from '@/ui/parts/units';
import { channelName, deviceName } from '@/ui/parts/names';
import { pasteBlock } from '@/ui/parts/paste-block';
import { pasteLabels } from '@/ui/parts/sheet-pastes';
import { commit } from '@/ui/session/actions';
import type { View } from '@/ui/session/plan-store';
import { RenameDialog, type Rename } from './rename-dialog';
import { DialogActions } from '@/ui/parts/dialog-actions';

/** One device's channels: what each is called, what it hears or who hears it. Labels are typed in place. */
export function ChannelLabels({
  plan,
  view,
  device,
  onClose,
}: {
  plan: Plan;
  view: View;
  device: Device;
  onClose: () => void;
}) {
  const sides = (['receive', 'send'] as const).filter((s) => labelledCount(plan, device.id, s) > 0);
  const [side, setSide] = useState<Side>(sides[0] ?? 'receive');
  const [isMany, setMany] = useState(false);
  const [asked, setAsked] = useState<Rename | null>(null);
  const [attempt, setAttempt] = useState(0);
  const channels = labelledCount(plan, device.id, side);
  const receivers = side === 'send' ? receiversOf(view, device.id) : null;
  const limits = labelLimits(plan, device.id);
  const labelShort = (channel: number, text: string) => {
    const known = plan.labels.get(device.id)?.get(`${side}/${channel}`);
    const short = text.trim() === '' ? null : text.trim();
    if (known === undefined || short === known.short) return;
    const labels = [{ channel, label: known.label, short }];
    void commit(`short label of ${device.name} ${side === 'receive' ? 'in' : 'out'} ${channel}`, [
      { kind: 'label-channels', deviceId: device.id, side, labels },
    ]);
  };
  const label = (channel: number, text: string) => {
    const now = labelOf(plan, device.id, side, channel);
    const next = text.trim() === '' ? null : text.trim();
    if (next === now) return;
    const command = { kind: 'label-channels' as const, deviceId: device.id, side, labels: [{ channel, label: next }] };
    const title = `label ${device.name} ${side === 'receive' ? 'in' : 'out'} ${channel}`;
    const uses = now === null || next === null ? null : usesOfName(plan, { deviceId: device.id, side, channel }, next);
    const isUsed = uses !== null && uses.labels.length + uses.byNameIds.length > 0;
    if (!isUsed || next === null) void commit(title, [command]);
    else setAsked({ before: now ?? '', after: next, title, command, uses, fieldName: null });
  };
  const pasteFrom = (channel: number, text: string) => {
    const all = Array.from({ length: channels }, (_, n) => n + 1);
    const paste = pasteLabels(plan, device.id, side);
    const laid = pasteBlock(text, paste.columns, [channel], all);
    if (laid !== null) paste.onPasted(laid);
  };
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <LabelsBar
        plan={plan}
        view={view}
        device={device}
        sides={sides}
        side={side}
        onSide={setSide}
        onMany={() => setMany(true)}
        onClose={onClose}
      />
      <div className="min-h-0 flex-1 overflow-y-auto" tabIndex={-1}>
        <table className="w-full">
          <thead className="sticky top-0 z-10 bg-bg text-left text-[12px] text-faint">
            <tr className="h-[26px]">
              <th className="w-12 px-3 text-right font-medium">Ch</th>
              <th className="w-[240px] px-2 font-medium">Label, at most {limits.labelMax}</th>
              {limits.shortMax === null ? null : (
                <th className="w-[130px] px-2 font-medium">Short, at most {limits.shortMax}</th>
              )}
              <th className="px-2 font-medium">{side === 'receive' ? 'Source' : 'Receivers'}</th>
            </tr>
          </thead>
          <tbody>
            {Array.from({ length: channels }, (_, n) => n + 1).map((channel) => {
              const lane = side === 'receive' ? view.lanes.get(device.id)?.get(channel) : undefined;
              const text = lane
                ? `${deviceName(plan, lane.senderDeviceId)} · ${channelName(plan, lane.senderDeviceId, 'send', lane.senderChannel)}`
                : (receivers?.get(channel) ?? []).map((h) => `${deviceName(plan, h.deviceId)} ${h.channel}`).join(', ');
              const now = labelOf(plan, device.id, side, channel) ?? '';
              const short = plan.labels.get(device.id)?.get(`${side}/${channel}`)?.short ?? '';
              return (
                <tr key={`${side}-${channel}`} className="h-8 border-b border-line/60">
                  <td className="px-3 text-right font-mono text-[12px] text-dim">{String(channel).padStart(2, '0')}</td>
                  <td className="px-2">
                    <LabelField
                      key={`${now} ${attempt}`}
                      now={now}
                      max={limits.labelMax}
                      label={`Label of channel ${channel}`}
                      placeholder={side === 'receive' ? `in ${channel}` : `out ${channel}`}
                      onDone={(typed) => label(channel, typed)}
                      onBlock={(pasted) => pasteFrom(channel, pasted)}
                    />
                  </td>
                  {limits.shortMax === null ? null : (
                    <td className="px-2">
                      <LabelField
                        key={`${short} ${now}`}
                        now={short}
                        max={limits.shortMax}
                        label={`Short label of channel ${channel}`}
                        placeholder={now === '' ? '' : shortened(now, limits.shortMax)}
                        isDisabled={now === ''}
                        onDone={(typed) => labelShort(channel, typed)}
                      />
                    </td>
                  )}
                  <td className="max-w-0 truncate px-2" title={text}>
                    {text || <span className="text-dim">{side === 'receive' ? 'free' : 'nobody'}</span>}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
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
      {isMany ? (
        <LabelMany plan={plan} device={device} side={side} channels={channels} onClose={() => setMany(false)} />
      ) : null}
    </div>
  );
}

/** Which side of the device is shown, how full it is, and labels for many channels at once. */
function LabelsBar({
  plan,
  view,
  device,
  sides,
  side,
  onSide,
  onMany,
  onClose,
}: {
  plan: Plan;
  view: View;
  device: Device;
  sides: readonly Side[];
  side: Side;
  onSide: (side: Side) => void;
  onMany: () => void;
  onClose: () => void;
}) {
  const budget = view.budgets.get(device.id);
  const used = side === 'receive' ? budget?.channelsReceive : budget?.channelsSend;
  const limits = labelLimits(plan, device.id);
  const shorts = proposeShortLabels(plan, device.id, side);
  const fromSenders = side === 'receive' ? labelsFromSenders(plan, device.id) : [];
  return (
    <div className="flex h-10 shrink-0 items-center gap-3 border-b border-line px-3">
      <Button onClick={onClose}>← All devices</Button>
      <h2 className="min-w-[90px] truncate font-semibold" title={device.name}>
        {device.name}
      </h2>
      <ViewTabs
        label="Side"
        views={sides}
        titles={{ receive: 'Channels in', send: 'Channels out' }}
        value={side}
        onChoose={onSide}
      />
      {used ? (
        <span className="flex items-center gap-2 font-mono text-[12px] whitespace-nowrap text-dim max-[1440px]:hidden">
          <BudgetBar used={used.used} limit={used.limit} label="Channels used" />
          {used.used} of {used.limit}
        </span>
      ) : null}
      {side === 'receive' ? (
        <Button
          className="ml-auto"
          disabled={fromSenders.length === 0}
          title="Label every channel like the sender channel that it receives"
          onClick={() =>
            void commit(`label ${count(fromSenders.length, 'channel')} of ${device.name} as their senders`, [
              { kind: 'label-channels', deviceId: device.id, side, labels: fromSenders },
            ])
          }
        >
          Labels from senders
        </Button>
      ) : null}
      {limits.shortMax === null ? null : (
        <Button
          className={side === 'receive' ? '' : 'ml-auto'}
          disabled={shorts.length === 0}
          title={`Give a short label, of at most ${limits.shortMax} characters, to every channel whose label is longer`}
          onClick={() =>
            void commit(`short labels for ${count(shorts.length, 'channel')} of ${device.name}`, [
              { kind: 'label-channels', deviceId: device.id, side, labels: shorts },
            ])
          }
        >
          Short labels
        </Button>
      )}
      <Button className={side === 'receive' || limits.shortMax !== null ? '' : 'ml-auto'} onClick={onMany}>
        Label many …
      </Button>
    </div>
  );
}

/** One label, typed in place: Enter and the arrows go to the channel below or above, in the same column. */
function LabelField({
  now,
  max,
  label,
  placeholder,
  isDisabled = false,
  onDone,
  onBlock,
}: {
  now: string;
  max: number;
  label: string;
  placeholder: string;
  isDisabled?: boolean;
  onDone: (text: string) => void;
  /** Several cells of a spreadsheet were pasted. */
  onBlock?: (text: string) => void;
}) {
  const isLong = [...now].length > max;
  return (
    <TextField
      defaultValue={now}
      // What is too long already can be read and shortened.
      maxLength={Math.max(max, now.length)}
      aria-label={label}
      aria-invalid={isLong}
      title={isLong ? `Longer than the ${max} characters that the device holds` : undefined}
      placeholder={placeholder}
      disabled={isDisabled}
      className="w-full disabled:opacity-50"
      onBlur={(e) => onDone(e.target.value)}
      onPaste={(e) => {
        const pasted = e.clipboardData.getData('text/plain');
        if (onBlock === undefined || !/[\t\n]/.test(pasted.trim())) return;
        e.preventDefault();
        onBlock(pasted);
      }}
      onKeyDown={(e) => {
        if (e.key === 'Escape') e.currentTarget.value = now;
        const step = e.key === 'Enter' || e.key === 'ArrowDown' ? 1 : e.key === 'ArrowUp' ? -1 : 0;
        if (step === 0) return;
        e.preventDefault();
        const cell = e.currentTarget.closest('td');
        const row = cell?.closest('tr');
        const next = step === 1 ? row?.nextElementSibling : row?.previousElementSibling;
        const at = cell === null || cell === undefined ? -1 : [...(row?.children ?? [])].indexOf(cell);
        const field = next?.children[at]?.querySelector('input');
        if (field) field.focus();
        else e.currentTarget.blur();
      }}
    />
  );
}

function receiversOf(view: View, senderDeviceId: string) {
  const receivers = new Map<number, { deviceId: string; channel: number }[]>();
  for (const [deviceId, lanes] of view.lanes) {
    for (const [channel, lane] of lanes) {
      if (lane.senderDeviceId !== senderDeviceId) continue;
      receivers.set(lane.senderChannel, [...(receivers.get(lane.senderChannel) ?? []), { deviceId, channel }]);
    }
  }
  return receivers;
}

/** A list pasted one label a line, or a pattern in which # stands for the count. */
function LabelMany({
  plan,
  device,
  side,
  channels,
  onClose,
}: {
  plan: Plan;
  device: Device;
  side: Side;
  channels: number;
  onClose: () => void;
}) {
  const [first, setFirst] = useState(1);
  const [last, setLast] = useState(channels);
  const [text, setText] = useState('');
  const lines = text.split('\n').map((l) => l.trim());
  while (lines.length > 0 && lines[lines.length - 1] === '') lines.pop();
  const isPattern = lines.length === 1 && (lines[0] ?? '').includes('#');
  const room = Math.max(0, Math.min(last, channels) - Math.max(first, 1) + 1);
  const wanted = isPattern
    ? Array.from({ length: room }, (_, n) => (lines[0] as string).replaceAll('#', String(n + 1)))
    : lines.slice(0, room);
  const column = textColumn('label', labelLimits(plan, device.id).labelMax);
  const wrongAt = wanted.findIndex((w) => column.wrong(w) !== null);
  const apply = async () => {
    const labels = wanted.map((label, n) => ({ channel: first + n, label: label === '' ? null : label }));
    if (
      await commit(`label ${count(labels.length, 'channel')} of ${device.name}`, [
        { kind: 'label-channels', deviceId: device.id, side, labels },
      ])
    )
      onClose();
  };
  return (
    <Modal title={`Label channels of ${device.name}`} onClose={onClose}>
      <div className="flex gap-3">
        <Labelled label="From channel">
          <CountField max={channels} value={first} onChange={setFirst} className="w-24" />
        </Labelled>
        <Labelled label="to">
          <CountField max={channels} value={last} onChange={setLast} className="w-24" />
        </Labelled>
      </div>
      <label className="mt-3 flex flex-col gap-1 text-[12px] text-dim">
        One label a line, or one line with # for the count: Tank mic #
        <textarea
          autoFocus
          rows={7}
          value={text}
          onChange={(e) => setText(e.target.value)}
          className="rounded border border-edge bg-bg p-2 text-[13px] text-ink focus-visible:outline-2 focus-visible:outline-jade"
        />
      </label>
      <p className="mt-2 text-dim" role="status">
        {wrongAt >= 0
          ? `${isPattern ? `Channel ${first + wrongAt}` : `Line ${wrongAt + 1}`}: ${column.wrong(wanted[wrongAt] as string)}.`
          : wanted.length === 0
            ? 'Nothing to label yet.'
            : `${count(wanted.length, 'channel')}: ${wanted[0]} … ${wanted[wanted.length - 1]}${!isPattern && lines.length > room ? `; ${lines.length - room} lines do not fit` : ''}`}
      </p>
      <DialogActions onCancel={onClose} disabled={wanted.length === 0 || wrongAt >= 0} onMain={() => void apply()}>
        Label
      </DialogActions>
    </Modal>
  );
}
