import { ChevronDown, ChevronRight } from 'lucide-react';
import { memo, type MouseEvent, type PointerEvent } from 'react';
import type { Plan } from '@/core/plan/plan';
import { CARD_HEIGHT } from '@/ui/parts/narrow';
import { SHEET_COLUMNS, SHEET_ROW_HEIGHT } from '@/ui/parts/sheet-parts';
import { BudgetBar } from '@/ui/parts/signs';
import { Thread } from '@/ui/parts/thread';
import { kHz, ms } from '@/ui/parts/units';
import { channelName, deviceName } from '@/ui/parts/names';
import { shortReason } from '@/ui/parts/lane-words';
import type { FieldView, View } from '@/ui/session/plan-store';
import { deviceLive, needsLook } from '@/ui/session/losses';
import { liveWords } from '@/ui/parts/loss-words';
import { evidenceOf, stateOf } from '@/ui/session/shown';
import { rowKey, type ChannelRow } from './lane-rows';
import { ROWS_DRAGGED } from './loom-band';

/** The rows of the lane sheet: the head of a device with its budget, and one receiver channel read as a sentence. */

export const HEAD_HEIGHT = 32;

interface GroupHeadProps {
  readonly top: number;
  readonly rowIndex: number;
  readonly deviceId: string;
  readonly plan: Plan;
  readonly view: View;
  readonly field: FieldView;
  readonly isFolded: boolean;
  readonly onFold: (deviceId: string) => void;
  readonly onSelectAll: (deviceId: string) => void;
}

export const GroupHead = memo(function GroupHead({
  top,
  rowIndex,
  deviceId,
  plan,
  view,
  field,
  isFolded,
  onFold,
  onSelectAll,
}: GroupHeadProps) {
  const device = plan.devices.get(deviceId);
  const budget = view.budgets.get(deviceId);
  if (device === undefined) return null;
  const live = deviceLive(plan, field, deviceId);
  const where = plan.places.get(device.placeId ?? '')?.name;
  return (
    <div
      role="row"
      aria-rowindex={rowIndex}
      className="absolute left-0 flex w-full items-center gap-2 border-b border-line bg-panel px-2 text-dim"
      style={{ top, height: HEAD_HEIGHT }}
    >
      <span role="gridcell" className="flex min-w-0 flex-1 items-center gap-2">
        <button
          type="button"
          tabIndex={-1}
          aria-label={`${isFolded ? 'Unfold' : 'Fold'} ${device.name}`}
          aria-expanded={!isFolded}
          onClick={() => onFold(deviceId)}
          className="text-dim hover:text-ink"
        >
          {isFolded ? <ChevronRight size={14} /> : <ChevronDown size={14} />}
        </button>
        <button
          type="button"
          tabIndex={-1}
          onClick={() => onSelectAll(deviceId)}
          title="Select all its channels"
          className="truncate font-semibold text-ink hover:underline"
        >
          {device.name}
        </button>
        {where ? <span className="truncate">{where}</span> : null}
        {needsLook(live) ? <span className="whitespace-nowrap text-ochre">{liveWords(live)}</span> : null}
      </span>
      {budget ? (
        <span role="gridcell" className="flex items-center gap-2 whitespace-nowrap">
          <BudgetBar
            used={budget.channelsReceive.used}
            limit={budget.channelsReceive.limit}
            label={`${device.name}: channels used`}
          />
          <span className="font-mono text-[12px]">
            {budget.channelsReceive.used} of {budget.channelsReceive.limit} channels
            <span className="max-md:hidden">
              , {budget.streamsReceive.used} of {budget.streamsReceive.limit ?? 'unknown'} streams
            </span>
          </span>
        </span>
      ) : null}
    </div>
  );
});

interface LaneLineProps {
  readonly top: number;
  readonly rowIndex: number;
  readonly row: ChannelRow;
  readonly plan: Plan;
  readonly view: View;
  readonly field: FieldView;
  readonly isChanged: boolean;
  readonly isSelected: boolean;
  /** Only a run that was selected before the press is dragged: else a drag selects. */
  readonly isDraggable: boolean;
  readonly isCursor: boolean;
  /** In two lines. */
  readonly isNarrow: boolean;
  readonly onPointer: (row: ChannelRow, e: PointerEvent) => void;
  readonly onRelease: (row: ChannelRow, e: MouseEvent) => void;
}

export const LaneLine = memo(function LaneLine(props: LaneLineProps) {
  const { top, rowIndex, row, plan, view, field, isChanged, isSelected, isDraggable, isCursor, onPointer, onRelease } =
    props;
  const { isNarrow } = props;
  const { deviceId, channel } = row;
  const lane = view.lanes.get(deviceId)?.get(channel);
  const state = lane ? stateOf(lane, evidenceOf(field, deviceId, channel)) : null;
  const fieldOnly = lane === undefined ? field.fieldOnly.get(deviceId)?.[channel] : undefined;
  const senderRate = lane && plan.devices.get(lane.senderDeviceId)?.rateHz;
  const ownRate = plan.devices.get(deviceId)?.rateHz ?? 0;
  const isWrongRate = lane?.reason?.code === 'rate-differs';
  const senderLive = lane && state === 'waiting' ? deviceLive(plan, field, lane.senderDeviceId) : null;
  const label = channelName(plan, deviceId, 'receive', channel);
  const hears = lane
    ? `${deviceName(plan, lane.senderDeviceId)} · ${channelName(plan, lane.senderDeviceId, 'send', lane.senderChannel)}`
    : '';
  const tone = isSelected ? 'bg-selected' : isChanged ? 'bg-raise' : '';
  return (
    <div
      role="row"
      id={`lane-${rowKey(deviceId, channel)}`}
      aria-rowindex={rowIndex}
      aria-selected={isSelected}
      data-lane={rowKey(deviceId, channel)}
      onPointerDown={(e) => onPointer(row, e)}
      onPointerEnter={(e) => onPointer(row, e)}
      onClick={(e) => onRelease(row, e)}
      draggable={isDraggable}
      onDragStart={(e) => {
        e.dataTransfer.setData(ROWS_DRAGGED, 'selected');
        e.dataTransfer.effectAllowed = 'link';
      }}
      style={
        isNarrow
          ? { top, height: CARD_HEIGHT, gridTemplateColumns: '34px minmax(0,1fr) auto' }
          : { top, height: SHEET_ROW_HEIGHT, gridTemplateColumns: SHEET_COLUMNS }
      }
      className={`absolute left-0 grid w-full items-center border-b border-line contain-strict ${tone} ${
        isCursor ? 'shadow-[inset_3px_0_var(--jade)]' : isChanged ? 'shadow-[inset_3px_0_var(--violet)]' : ''
      }`}
    >
      <span role="gridcell" className="px-2 text-right font-mono text-[12px] text-dim">
        {String(channel).padStart(2, '0')}
      </span>
      <span role="gridcell" className="truncate px-2" title={label}>
        {isNarrow ? <span className="text-dim">{deviceName(plan, deviceId)} </span> : null}
        {label}
      </span>
      <span role="gridcell" className="truncate px-2">
        {state ? <Thread state={state} withWord /> : null}
      </span>
      <span
        role="gridcell"
        className="truncate px-2 max-md:col-start-2"
        title={senderLive && needsLook(senderLive) ? `${hears}, ${liveWords(senderLive)}` : hears}
      >
        {lane ? (
          <>
            {senderLive?.is === 'offline' ? <span className="text-ochre">offline · </span> : null}
            {hears}
            {state === 'refused' && lane.reason ? (
              <span className="text-madder"> · {shortReason(lane.reason)}</span>
            ) : null}
            {lane.caution?.code === 'foreign-patch' ? (
              <span className="text-ochre"> · {lane.caution.end === 'sender' ? 'sender read-only' : 'read-only'}</span>
            ) : null}
            {lane.caution?.code === 'one-leg' ? (
              <span className="text-ochre"> · leg {lane.caution.missing} missing</span>
            ) : null}
          </>
        ) : (
          <span className="text-dim">
            free
            {fieldOnly ? (
              <span className="text-violet"> · the device still receives stream {fieldOnly.receiverStreamNumber}</span>
            ) : null}
          </span>
        )}
      </span>
      <span role="gridcell" className="truncate px-2 font-mono text-[12px]">
        {lane?.streamId && lane.position !== null ? (
          `S${streamNumberOf(lane.streamId)} · ${lane.position}/${lane.width}`
        ) : (
          <span className="text-dim">{lane ? 'none' : ''}</span>
        )}
      </span>
      <span
        role="gridcell"
        className={`truncate px-2 text-right font-mono text-[12px] max-md:hidden ${isWrongRate ? 'text-madder' : ''}`}
      >
        {isWrongRate && senderRate ? `${kHz(senderRate)}→${kHz(ownRate)}` : kHz(ownRate)}
      </span>
      <span role="gridcell" className="px-2 text-right font-mono text-[12px] max-md:hidden">
        {lane && lane.verdict !== 'refused' && lane.offsetNs !== null ? ms(lane.offsetNs) : lane ? '–' : ''}
      </span>
    </div>
  );
});

function streamNumberOf(streamId: string): string {
  return streamId.slice(streamId.lastIndexOf('/') + 1);
}
