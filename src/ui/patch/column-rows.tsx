import { BatteryLow, ChevronDown, ChevronRight } from 'lucide-react';
import type { Plan } from '@/core/plan/plan';
import { settingsAt } from '@/core/signal/levels';
import { signedDb, TAP_WORDS, terminalChannel } from '@/ui/parts/signal-words';
import { count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { namesOf, type Row } from './patch-rows';
import { lowBattery, useRadioFigures } from './radio-figures';

/** Where a row stands within its column, in pixels. */
export type Extent = { readonly top: number; readonly height: number };

export function TerminalRow({
  row,
  place,
  index,
  isCursor,
  onPress,
}: {
  row: Extract<Row, { kind: 'terminal' }>;
  place: Extent;
  index: number;
  isCursor: boolean;
  onPress: () => void;
}) {
  const { terminal, isFolded } = row;
  const Fold = isFolded ? ChevronRight : ChevronDown;
  return (
    <div
      role="row"
      id={`patch-${row.key}`}
      aria-level={1}
      aria-expanded={!isFolded}
      aria-rowindex={index + 1}
      style={place}
      className={`absolute left-0 w-full border-b border-line bg-panel ${isCursor ? 'shadow-[inset_3px_0_var(--jade)]' : ''}`}
    >
      <div role="gridcell" className="h-full">
        <button
          type="button"
          tabIndex={-1}
          onClick={onPress}
          className="flex h-full w-full items-center gap-1 px-1 text-left font-medium hover:bg-raise"
        >
          <Fold size={13} aria-hidden="true" className="shrink-0 text-dim" />
          <span className="truncate">{terminal.name}</span>
          <span className="ml-auto shrink-0 pr-1 text-[12px] font-normal text-dim">
            {[
              terminal.formats[0],
              terminal.connector,
              terminal.blockSize > 1 ? `in blocks of ${terminal.blockSize}` : null,
              String(terminal.channels),
            ]
              .filter((w) => w != null)
              .join(' · ')}
          </span>
        </button>
      </div>
    </div>
  );
}

export function ChannelRow({
  plan,
  deviceId,
  row,
  place,
  index,
  isSelected,
  isCursor,
  isTouched,
  isChanged,
  isDiffering,
  onPress,
  onOpen,
}: {
  plan: Plan;
  deviceId: string;
  row: Extract<Row, { kind: 'channel' }>;
  place: Extent;
  index: number;
  isSelected: boolean;
  isCursor: boolean;
  isTouched: boolean;
  isChanged: boolean;
  /** The device has it otherwise. */
  isDiffering: boolean;
  onPress: (how: 'only' | 'to' | 'toggle') => void;
  onOpen: () => void;
}) {
  const { terminal, channel } = row;
  const from = fromWords(plan, deviceId, row);
  const [name, also] = namesOf(terminal, channel);
  const facts = factsOf(plan, deviceId, row);
  const wrong = channel.misfits.length > 0;
  const low = lowBattery(useRadioFigures(channel.radio));
  return (
    <div
      role="row"
      id={`patch-${row.key}`}
      aria-level={2}
      aria-rowindex={index + 1}
      aria-selected={isSelected}
      data-row={row.key}
      title={[
        name,
        also,
        from,
        ...facts,
        isDiffering ? 'fed differently in the field' : null,
        low === null ? null : `battery ${low} %`,
      ]
        .filter(Boolean)
        .join(' · ')}
      onPointerDown={(e) => {
        if (e.button === 0) onPress(e.shiftKey ? 'to' : e.ctrlKey || e.metaKey ? 'toggle' : 'only');
      }}
      onDoubleClick={onOpen}
      style={place}
      className={`absolute left-0 flex w-full items-center gap-1.5 border-b border-line/60 pr-1.5 ${isSelected ? 'bg-selected' : ''} ${
        isCursor ? 'shadow-[inset_3px_0_var(--jade)]' : isChanged ? 'shadow-[inset_3px_0_var(--violet)]' : ''
      }`}
    >
      <span role="gridcell" className="w-8 shrink-0 text-right font-mono text-[12px] text-dim">
        {String(channel.channel + terminal.countsFrom - 1).padStart(2, '0')}
      </span>
      <span
        role="gridcell"
        className={`min-w-0 flex-1 truncate ${name === null ? 'text-faint' : ''} ${isTouched ? 'underline decoration-jade underline-offset-4' : ''}`}
      >
        {name ??
          (channel.feeders.length === 0 || !channel.isFed ? 'free' : terminal.kind === 'bus' ? 'mix' : 'unnamed')}
        {also === null ? null : <span className="text-dim"> · {also}</span>}
      </span>
      <span role="gridcell" className="flex shrink-0 items-center gap-1 text-[12px] text-dim">
        {isDiffering ? <b className="font-medium text-ochre">differs</b> : null}
        {low === null ? null : (
          <b className="flex items-center gap-0.5 font-medium whitespace-nowrap text-ochre">
            <BatteryLow size={14} role="img" aria-label="battery" /> {low} %
          </b>
        )}
        {wrong ? <b className="font-medium text-ochre">see why</b> : null}
        {facts.map((f) => (
          <span key={f} className="whitespace-nowrap">
            {f}
          </span>
        ))}
        {from === null ? null : (
          <span className={`max-w-[92px] truncate ${isChanged ? 'text-violet' : ''}`}>← {from}</span>
        )}
      </span>
    </div>
  );
}

/** Where a channel is fed from, as far as no thread shows it. */
function fromWords(
  plan: Plan,
  deviceId: string,
  { terminal, channel }: Extract<Row, { kind: 'channel' }>,
): string | null {
  const { feeders } = channel;
  const [first] = feeders;
  if (first === undefined) return null;
  if (terminal.mixes !== null) return 'all';
  if (feeders.length > 1 || terminal.kind === 'bus') return count(feeders.length, 'strip');
  return first.deviceId === deviceId ? terminalChannel(plan, first) : deviceName(plan, first.deviceId);
}

/** What of a channel is worth a glance: gain, pad, phantom power, a tap. */
function factsOf(plan: Plan, deviceId: string, { terminal, channel }: Extract<Row, { kind: 'channel' }>): string[] {
  const end = { deviceId, terminalId: terminal.id, channel: channel.channel };
  const settings = settingsAt(plan, end);
  const tap = plan.patches.get(deviceId)?.get(`${terminal.id}/${channel.channel}`)?.tap ?? null;
  return [
    ...(settings?.gainDb == null ? [] : [signedDb(settings.gainDb)]),
    ...(settings?.hasPad ? ['pad'] : []),
    ...(settings?.hasPhantom ? ['48 V'] : []),
    ...(tap === null ? [] : [TAP_WORDS[tap]]),
  ];
}
