import { BaseEdge, EdgeLabelRenderer, Handle, Position, type EdgeProps, type NodeProps } from '@xyflow/react';
import { ChevronDown, Maximize2, Minimize2 } from 'lucide-react';
import { memo, useContext } from 'react';
import { Cautions, Refusals } from '@/ui/parts/signs';
import { bits } from '@/ui/parts/units';
import { CARD_HEAD, CARD_ROW, type CardRow, type DrawingNode } from './drawing-graph';
import { DrawingActions, type BoxNode, type CableEdge } from './drawing-actions';

/** A cable begins anywhere on the edge: a strip along each side, wide enough to be met. */
const STRIP = '!min-h-0 !min-w-0 !rounded-none !border-0 !bg-transparent !transform-none hover:!bg-jade/50';
const SIDE = `${STRIP} !top-0 !h-full !w-[14px]`;
const HANDLE_LEFT = `${SIDE} !left-[-7px]`;
const HANDLE_RIGHT = `${SIDE} !right-[-7px]`;
const FLAT = `${STRIP} !left-0 !h-[10px] !w-full`;
const ROW_STRIP = `${STRIP} !w-[14px]`;

function Box({ data }: NodeProps<BoxNode>) {
  const { box, selectedId } = data;
  const isSelected = selectedId !== null;
  const isSwitch = box.kind === 'switch';
  const isJoinable = isSwitch || box.kind === 'device';
  const signs = (
    <>
      <Refusals n={box.wrong.refusals} />
      <Cautions n={box.wrong.cautions} />
    </>
  );
  return (
    <div
      className={`group flex h-full w-full items-center gap-1.5 border px-2 ${
        isSelected ? 'border-jade bg-selected' : isSwitch ? 'border-edge bg-raise' : 'border-line bg-panel'
      } ${box.kind === 'closed' ? 'border-double border-edge [border-width:3px]' : 'rounded'}`}
      title={box.detail ? `${box.title}, ${box.detail}` : box.title}
    >
      <Handle type="source" position={Position.Right} isConnectable={isJoinable} className={HANDLE_RIGHT} />
      <Handle type="target" position={Position.Left} isConnectable={isJoinable} className={HANDLE_LEFT} />
      <Handle
        id="top"
        type="source"
        position={Position.Top}
        isConnectable={isJoinable}
        className={`${FLAT} !top-[-5px]`}
      />
      <Handle
        id="bottom"
        type="source"
        position={Position.Bottom}
        isConnectable={isJoinable}
        className={`${FLAT} !bottom-[-5px]`}
      />
      <span className="min-w-0 flex-1">
        <span className="flex items-center gap-1">
          <span className={`min-w-0 flex-1 truncate text-[12px] leading-[16px] ${isSwitch ? 'font-medium' : ''}`}>
            {box.title}
          </span>
          {box.detail ? null : signs}
        </span>
        {box.detail ? (
          <span className="flex h-4 items-center gap-1">
            <span className="min-w-0 flex-1 truncate text-[11px] leading-[14px] text-dim">{box.detail}</span>
            {signs}
          </span>
        ) : null}
      </span>
    </div>
  );
}

function PlaceBox({ data }: NodeProps<BoxNode>) {
  return (
    <div className="h-full w-full rounded border border-line bg-panel/40">
      <PlaceHead box={data.box} />
    </div>
  );
}

function PlaceHead({ box }: { box: DrawingNode }) {
  const actions = useContext(DrawingActions);
  const placeId = box.placeId ?? '';
  const isOpen = actions?.folds.get(placeId) === 'open';
  const button =
    'nodrag nopan rounded p-0.5 text-dim hover:text-ink focus-visible:outline-2 focus-visible:outline-jade';
  return (
    <div className="flex items-center gap-1 px-1.5" style={{ height: CARD_HEAD }}>
      <button
        type="button"
        tabIndex={-1}
        aria-label={`Close ${box.title}`}
        className={button}
        onClick={() => actions?.fold(placeId, 'closed')}
      >
        <ChevronDown size={13} />
      </button>
      <button
        type="button"
        tabIndex={-1}
        className={`nodrag nopan min-w-0 flex-1 truncate text-left text-[12px] font-medium hover:underline focus-visible:outline-2 focus-visible:outline-jade ${
          placeId !== '' && actions?.selectedPlace === placeId ? 'text-jade' : ''
        }`}
        title={box.title}
        onClick={() => placeId !== '' && actions?.selectPlace(placeId)}
      >
        {box.title}
      </button>
      <button
        type="button"
        tabIndex={-1}
        aria-label={isOpen ? `Hide the devices of ${box.title}` : `Show the devices of ${box.title}`}
        aria-pressed={isOpen}
        className={button}
        onClick={() => actions?.fold(placeId, isOpen ? 'switches' : 'open')}
      >
        {isOpen ? <Minimize2 size={12} /> : <Maximize2 size={12} />}
      </button>
    </div>
  );
}

/** A place as a card: its switches line by line, the other devices in the last line. */
function Card({ data }: NodeProps<BoxNode>) {
  const { box, selectedId } = data;
  return (
    <div className="h-full w-full rounded border border-edge bg-panel">
      <PlaceHead box={box} />
      {box.rows.map((row, n) => (
        <CardLine key={row.id} row={row} index={n} placeId={box.placeId ?? ''} selectedId={selectedId} />
      ))}
    </div>
  );
}

function CardLine({
  row,
  index,
  placeId,
  selectedId,
}: {
  row: CardRow;
  index: number;
  placeId: string;
  selectedId: string | null;
}) {
  const actions = useContext(DrawingActions);
  const isSelected = selectedId !== null && row.deviceIds.includes(selectedId);
  const isSwitch = row.kind === 'switch';
  const top = CARD_HEAD + index * CARD_ROW;
  const isOver = row.innerShare * 100 > (actions?.ceilingPercent ?? 70);
  const isOne = row.deviceIds.length === 1;
  return (
    <div
      className={`group flex items-center gap-1 border-t border-line px-1.5 text-[12px] ${isSelected ? 'bg-selected' : ''}`}
      style={{ height: CARD_ROW }}
    >
      <Handle
        id={`${row.id} in`}
        type="target"
        position={Position.Left}
        style={{ top, height: CARD_ROW }}
        isConnectable={isSwitch || isOne}
        className={`${ROW_STRIP} !left-[-7px]`}
      />
      <Handle
        id={`${row.id} out`}
        type="source"
        position={Position.Right}
        style={{ top, height: CARD_ROW }}
        isConnectable={isSwitch || isOne}
        className={`${ROW_STRIP} !right-[-7px]`}
      />
      <button
        type="button"
        tabIndex={-1}
        className={`nodrag nopan min-w-0 flex-1 truncate text-left hover:underline focus-visible:outline-2 focus-visible:outline-jade ${isSwitch ? '' : 'text-dim'}`}
        title={isSwitch || isOne ? row.title : `Show all ${row.title}`}
        onClick={() =>
          isSwitch || isOne ? actions?.selectDevice(row.deviceIds[0] ?? '') : actions?.fold(placeId, 'open')
        }
      >
        {row.title}
      </button>
      {row.innerLinkIds.length > 0 ? (
        <button
          type="button"
          tabIndex={-1}
          className={`nodrag nopan font-mono text-[10.5px] hover:underline focus-visible:outline-2 focus-visible:outline-jade ${isOver ? 'text-madder' : 'text-dim'}`}
          title={`${row.innerLinkIds.length} cables within the place, the busiest at ${shortPercent(row.innerShare)}`}
          onClick={() => row.innerLinkIds[0] && actions?.selectLink(row.innerLinkIds[0])}
        >
          {row.innerLinkIds.length}× {shortPercent(row.innerShare)}
        </button>
      ) : null}
      <Refusals n={row.wrong.refusals} />
      <Cautions n={row.wrong.cautions} />
    </div>
  );
}

/** A share as the drawing has room for: one decimal below ten percent. */
function shortPercent(share: number): string {
  if (!Number.isFinite(share)) return 'over';
  return share >= 0.1 ? `${Math.round(share * 100)}%` : `${(share * 100).toFixed(1)}%`;
}

/** Straight runs with the load of the busiest cable at their middle; the thicker the faster, and cut short when idle. */
function Cables({ id, data }: EdgeProps<CableEdge>) {
  const actions = useContext(DrawingActions);
  if (data === undefined) return null;
  const { edge, corners, label, isSelected } = data;
  const isOver = edge.share * 100 > (actions?.ceilingPercent ?? 70);
  const isNear = !isOver && edge.share * 100 > (actions?.ceilingPercent ?? 70) * 0.8;
  const path = corners.map((c, n) => `${n === 0 ? 'M' : 'L'}${c.x},${c.y}`).join(' ');
  const isLit = actions?.lit?.has(edge.id) === true;
  const isDimmed = actions?.lit != null && !isLit;
  const width = edge.bitsPerSecond >= 1e10 ? 2.6 : edge.bitsPerSecond >= 1e9 ? 1.6 : 1;
  const stroke = isOver
    ? 'var(--madder)'
    : isNear
      ? 'var(--ochre)'
      : isSelected || isLit
        ? 'var(--jade)'
        : edge.share > 0
          ? 'var(--slate)'
          : 'var(--edge)';
  const says = edge.isIdle ? 'idle' : edge.share > 0 ? shortPercent(edge.share) : '';
  const count = edge.linkIds.length > 1 ? `${edge.linkIds.length}×` : '';
  return (
    <>
      <BaseEdge
        id={id}
        path={path}
        interactionWidth={12}
        style={{
          stroke,
          strokeWidth: isSelected || isLit ? width + 1.4 : width,
          opacity: isDimmed ? 0.3 : 1,
          strokeDasharray: edge.isIdle ? '2 5' : edge.isWireless ? '7 4' : undefined,
        }}
      />
      {says !== '' || count !== '' ? (
        <EdgeLabelRenderer>
          <button
            type="button"
            tabIndex={-1}
            className={`nodrag nopan pointer-events-auto absolute rounded-sm border px-1 font-mono text-[10.5px] leading-[15px] whitespace-nowrap ${
              isSelected || isLit ? 'border-jade bg-selected' : 'border-line bg-bg'
            } ${isOver ? 'text-madder' : isNear ? 'text-ochre' : 'text-dim'}`}
            style={{ transform: `translate(-50%, -50%) translate(${label.x}px, ${label.y}px)` }}
            title={`${edge.linkIds.length > 1 ? `${edge.linkIds.length} cables, the busiest` : 'Cable'} of ${bits(edge.bitsPerSecond)}: ${says || 'no media'}`}
            onClick={() => edge.linkIds[0] && actions?.selectLink(edge.linkIds[0])}
          >
            {[count, says].filter(Boolean).join(' ')}
          </button>
        </EdgeLabelRenderer>
      ) : null}
    </>
  );
}

export const NODE_TYPES = { box: memo(Box), place: memo(PlaceBox), card: memo(Card) };
export const EDGE_TYPES = { cables: memo(Cables) };
