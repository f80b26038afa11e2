import { ChevronRight, Minus, Plus } from 'lucide-react';
import { useDeferredValue, useEffect, useMemo, useRef, useState, type DragEvent, type KeyboardEvent } from 'react';
import type { Plan } from '@/core/plan/plan';
import { count } from '@/ui/parts/units';
import type { FieldView, View } from '@/ui/session/plan-store';
import { edgeName, loomOf, type LoomEdge, type Ribbon, type Weave } from './loom';

/** What rows of the lane sheet are dragged as. */
export const ROWS_DRAGGED = 'application/x-jade-lane-rows';

const HEIGHT = 176;
const LABEL = 168;
const BEND = 92;
/** More than these nobody tells apart. */
const RIBBONS_MAX = 600;
const ZOOMS = [1, 2, 4, 8] as const;

const WEAVE_WORDS: Readonly<Record<Weave, string>> = {
  carrying: 'carrying',
  planned: 'planned',
  unsure: 'waiting or on one leg',
  refused: 'refused',
};
const WEAVE_TEXT: Readonly<Record<Weave, string>> = {
  carrying: 'text-jade',
  planned: 'text-slate',
  unsure: 'text-ochre',
  refused: 'text-madder',
};

interface LoomBandProps {
  readonly plan: Plan;
  readonly view: View;
  readonly field: FieldView;
  readonly placeId: string | null;
  readonly from: string | null;
  readonly to: string | null;
  readonly open: ReadonlySet<string>;
  readonly onOpen: (open: ReadonlySet<string>) => void;
  /** What the sheet is narrowed to. */
  readonly onPick: (from: string | null, to: string | null) => void;
  /** Rows were dropped on a sending edge. */
  readonly onDropRows: (key: string) => void;
}

/** The woven band over the lane sheet. Arrows move about in it, Enter picks, O opens a place. */
export function LoomBand({ plan, view, field, placeId, from, to, open, onOpen, onPick, onDropRows }: LoomBandProps) {
  const [zoom, setZoom] = useState<(typeof ZOOMS)[number]>(1);
  const [width, setWidth] = useState(0);
  const [current, setCurrent] = useState<string | null>(null);
  const [pointed, setPointed] = useState<string | null>(null);
  const [dropKey, setDropKey] = useState<string | null>(null);
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const element = box.current;
    if (element === null) return;
    const observer = new ResizeObserver(([entry]) => setWidth(entry?.contentRect.width ?? 0));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  // The sheet comes first; the band follows as soon as there is time.
  const late = useDeferredValue(useMemo(() => ({ plan, view, field }), [plan, view, field]));
  const whole = useMemo(
    () => loomOf(late.plan, late.view, late.field, { open, placeId, height: HEIGHT, zoom }),
    [late, open, placeId, zoom],
  );
  const loom = useMemo(() => {
    if (whole.ribbons.length <= RIBBONS_MAX) return whole;
    const widest = new Set([...whole.ribbons].sort((a, b) => b.channels - a.channels).slice(0, RIBBONS_MAX));
    return { ...whole, ribbons: whole.ribbons.filter((r) => widest.has(r)) };
  }, [whole]);
  const columns = [
    loom.senders.map((e) => `send ${e.key}`),
    loom.ribbons.map((r) => `ribbon ${r.key}`),
    loom.receivers.map((e) => `receive ${e.key}`),
  ];
  const items = columns.flat();
  const focusable = current !== null && items.includes(current) ? current : items[0];
  const toggle = (key: string) => {
    const next = new Set(open);
    if (!next.delete(key)) next.add(key);
    onOpen(next);
  };
  const pickEdge = (side: 'send' | 'receive', key: string) =>
    side === 'send' ? onPick(from === key ? null : key, to) : onPick(from, to === key ? null : key);
  const pickRibbon = (r: Ribbon) => (from === r.from && to === r.to ? onPick(null, null) : onPick(r.from, r.to));

  const onKeyDown = (e: KeyboardEvent) => {
    const column = columns.findIndex((c) => c.includes(focusable ?? ''));
    const own = columns[column] ?? [];
    const row = own.indexOf(focusable ?? '');
    const beside = (by: number) => {
      for (let at = column + by; columns[at] !== undefined; at += by) {
        const list = columns[at] as string[];
        if (list.length > 0) return list[Math.min(row, list.length - 1)];
      }
      return undefined;
    };
    const next =
      e.key === 'ArrowDown'
        ? own[row + 1]
        : e.key === 'ArrowUp'
          ? own[row - 1]
          : e.key === 'ArrowRight'
            ? beside(1)
            : e.key === 'ArrowLeft'
              ? beside(-1)
              : undefined;
    if (next !== undefined) {
      e.preventDefault();
      setCurrent(next);
      box.current?.querySelector<HTMLElement | SVGElement>(`[data-loom="${CSS.escape(next)}"]`)?.focus();
    } else if (e.key === 'Escape' && (from !== null || to !== null)) {
      onPick(null, null);
    }
  };

  const told = loom.ribbons.find((r) => r.key === pointed) ?? loom.ribbons.find((r) => r.from === from && r.to === to);
  const inner = Math.max(0, width - 2 * LABEL);
  const isOut = (r: Ribbon) => (from !== null && r.from !== from) || (to !== null && r.to !== to);
  return (
    <section aria-label="Loom" className="shrink-0 border-b border-line max-md:hidden">
      <div className="flex h-6 items-center gap-3 px-3 text-[12px] text-faint">
        <span className="shrink-0">Sent from</span>
        {[...open].map((key) => (
          <button
            key={key}
            type="button"
            onClick={() => toggle(key)}
            className="max-w-[110px] min-w-[48px] truncate rounded border border-line px-1.5 leading-4 text-dim hover:text-ink"
            aria-label={`Close ${edgeName(plan, key)}`}
          >
            {edgeName(plan, key)} ×
          </button>
        ))}
        <span className="mx-auto min-w-0 truncate" aria-live="polite">
          {told
            ? ribbonWords(plan, told)
            : loom !== whole
              ? `The ${RIBBONS_MAX} widest of ${whole.ribbons.length} ribbons: close places to see them all`
              : 'Press a ribbon to see its lanes; drop selected rows on a sending place to feed from it'}
        </span>
        <span className="flex shrink-0 items-center gap-1" role="group" aria-label="Zoom of the loom">
          <ZoomButton word="Thinner ribbons" isPossible={zoom > 1} onClick={() => setZoom(stepped(zoom, -1))}>
            <Minus size={12} />
          </ZoomButton>
          <ZoomButton word="Wider ribbons" isPossible={zoom < 8} onClick={() => setZoom(stepped(zoom, 1))}>
            <Plus size={12} />
          </ZoomButton>
        </span>
        <span className="shrink-0">Received at</span>
      </div>
      <div
        ref={box}
        role="group"
        aria-label="Ribbons from sending to receiving places"
        onKeyDown={onKeyDown}
        className="relative overflow-x-hidden overflow-y-auto"
        style={{ height: HEIGHT + 4 }}
      >
        <svg
          width={width}
          height={loom.height}
          role="group"
          aria-label="Ribbons"
          data-woven
          className="absolute top-0 left-0"
          onPointerLeave={() => setPointed(null)}
        >
          <defs>
            {/* A pattern does not take the colour of what it fills. */}
            <pattern id="weave-planned" width="9" height="9" patternUnits="userSpaceOnUse">
              <rect width="9" height="9" fill="var(--slate)" opacity="0.25" />
              <path d="M0 9L9 0" stroke="var(--slate)" strokeWidth="1.6" />
            </pattern>
            <pattern id="weave-unsure" width="7" height="7" patternUnits="userSpaceOnUse">
              <rect width="7" height="7" fill="var(--ochre)" opacity="0.25" />
              <circle cx="3.5" cy="3.5" r="1.6" fill="var(--ochre)" />
            </pattern>
          </defs>
          {loom.ribbons.map((r) => (
            <RibbonShape
              key={r.key}
              ribbon={r}
              left={LABEL}
              right={LABEL + inner}
              label={ribbonWords(plan, r)}
              isPicked={from === r.from && to === r.to}
              isFaint={isOut(r) || (pointed !== null && pointed !== r.key)}
              tabIndex={focusable === `ribbon ${r.key}` ? 0 : -1}
              onFocus={() => setCurrent(`ribbon ${r.key}`)}
              onPoint={() => setPointed(r.key)}
              onPick={() => pickRibbon(r)}
            />
          ))}
        </svg>
        {(['send', 'receive'] as const).map((side) =>
          (side === 'send' ? loom.senders : loom.receivers).map((edge) => (
            <Edge
              key={`${side} ${edge.key}`}
              edge={edge}
              side={side}
              isPicked={(side === 'send' ? from : to) === edge.key}
              isDropTarget={dropKey === edge.key && side === 'send'}
              tabIndex={focusable === `${side} ${edge.key}` ? 0 : -1}
              onFocus={() => setCurrent(`${side} ${edge.key}`)}
              onPick={() => pickEdge(side, edge.key)}
              onOpen={edge.canOpen ? () => toggle(edge.key) : null}
              onDrag={side === 'send' ? setDropKey : null}
              onDropRows={() => onDropRows(edge.key)}
            />
          )),
        )}
      </div>
    </section>
  );
}

const stepped = (zoom: (typeof ZOOMS)[number], by: number) => ZOOMS[ZOOMS.indexOf(zoom) + by] ?? zoom;

function ribbonWords(plan: Plan, r: Ribbon): string {
  const states = r.strands.map((s) => `${s.channels} ${WEAVE_WORDS[s.weave]}`).join(', ');
  return `${edgeName(plan, r.from)} to ${edgeName(plan, r.to)}: ${count(r.channels, 'channel')}, ${states}`;
}

function ZoomButton(props: { word: string; isPossible: boolean; onClick: () => void; children: React.ReactNode }) {
  return (
    <button
      type="button"
      aria-label={props.word}
      title={props.word}
      disabled={!props.isPossible}
      onClick={props.onClick}
      className="grid h-5 w-5 place-items-center rounded border border-line text-dim hover:text-ink disabled:opacity-50"
    >
      {props.children}
    </button>
  );
}

function RibbonShape(props: {
  ribbon: Ribbon;
  left: number;
  right: number;
  label: string;
  isPicked: boolean;
  isFaint: boolean;
  tabIndex: number;
  onFocus: () => void;
  onPoint: () => void;
  onPick: () => void;
}) {
  const { ribbon, left, right } = props;
  const bend = Math.min(BEND, (right - left) / 3);
  const outline = band(left, right, bend, ribbon.ySend, ribbon.yReceive, ribbon.width);
  const strands = ribbon.strands.map((strand, n) => ({
    ...strand,
    offset: ribbon.strands.slice(0, n).reduce((sum, s) => sum + s.width, 0),
  }));
  const pick = (e: KeyboardEvent) => {
    if (e.key !== 'Enter' && e.key !== ' ') return;
    e.preventDefault();
    props.onPick();
  };
  return (
    <g
      role="button"
      aria-label={props.label}
      aria-pressed={props.isPicked}
      tabIndex={props.tabIndex}
      data-loom={`ribbon ${ribbon.key}`}
      onFocus={props.onFocus}
      onPointerEnter={props.onPoint}
      onClick={props.onPick}
      onKeyDown={pick}
      className={`group cursor-pointer outline-none ${props.isFaint ? 'opacity-25' : ''}`}
    >
      {strands.map((s) => {
        const ySend = ribbon.ySend + s.offset;
        const yReceive = ribbon.yReceive + s.offset;
        const middle = (left + right) / 2;
        const y = (ySend + yReceive + s.width) / 2;
        return (
          <g key={s.weave} className={WEAVE_TEXT[s.weave]} data-weave={s.weave}>
            <path
              d={band(left, right, bend, ySend, yReceive, s.width)}
              fill={s.weave === 'planned' || s.weave === 'unsure' ? `url(#weave-${s.weave})` : 'currentColor'}
              fillOpacity={s.weave === 'carrying' ? 0.6 : s.weave === 'refused' ? 0.55 : 1}
            />
            {s.weave === 'refused' ? (
              <path
                d={`M${middle + 5} ${y - 9 - s.width / 2}L${middle - 5} ${y + 9 + s.width / 2}`}
                stroke="currentColor"
                strokeWidth="3"
              />
            ) : null}
          </g>
        );
      })}
      {/* Thin ribbons are hard to hit: an unseen rim takes the pointer too, and is the outline of what has the focus. */}
      <path
        d={outline}
        fill="transparent"
        className={props.isPicked ? 'stroke-ink' : 'stroke-transparent group-focus-visible:stroke-ink'}
        strokeWidth={props.isPicked ? 1.5 : Math.max(1.5, 8 - ribbon.width)}
      />
    </g>
  );
}

/** A straight band with two bends. */
function band(left: number, right: number, bend: number, y0: number, y1: number, width: number): string {
  const [a, b] = [left + bend, right - bend];
  return `M${left} ${y0}H${a}L${b} ${y1}H${right}V${y1 + width}H${b}L${a} ${y0 + width}H${left}z`;
}

function Edge(props: {
  edge: LoomEdge;
  side: 'send' | 'receive';
  isPicked: boolean;
  isDropTarget: boolean;
  tabIndex: number;
  onFocus: () => void;
  onPick: () => void;
  onOpen: (() => void) | null;
  onDrag: ((key: string | null) => void) | null;
  onDropRows: () => void;
}) {
  const { edge, side, isPicked, isDropTarget, onOpen, onDrag } = props;
  const isSend = side === 'send';
  const isRows = (e: DragEvent) => e.dataTransfer.types.includes(ROWS_DRAGGED);
  const words = `${edge.name}: ${count(edge.channels, 'channel')} ${isSend ? 'sent' : 'arrive'}`;
  return (
    <div
      className={`absolute flex items-center gap-1.5 ${isSend ? 'left-0 flex-row-reverse pl-2' : 'right-0 pr-2'}`}
      style={{ top: edge.y, height: edge.height, width: LABEL }}
      onDragOver={(e) => {
        if (onDrag === null || !isRows(e)) return;
        e.preventDefault();
        onDrag(edge.key);
      }}
      onDragLeave={() => onDrag?.(null)}
      onDrop={(e) => {
        if (onDrag === null || !isRows(e)) return;
        e.preventDefault();
        onDrag(null);
        props.onDropRows();
      }}
      data-loom-edge={`${side} ${edge.key}`}
    >
      <span
        aria-hidden="true"
        className={`h-full w-1 shrink-0 ${isDropTarget || isPicked ? 'bg-jade' : edge.channels === 0 ? 'bg-edge' : 'bg-ink'}`}
      />
      <button
        type="button"
        aria-label={words}
        aria-pressed={isPicked}
        title={words}
        tabIndex={props.tabIndex}
        data-loom={`${side} ${edge.key}`}
        onFocus={props.onFocus}
        onClick={props.onPick}
        onDoubleClick={() => onOpen?.()}
        onKeyDown={(e) => {
          if (e.key.toLowerCase() !== 'o' || onOpen === null) return;
          e.preventDefault();
          onOpen();
        }}
        className={`min-w-0 truncate rounded px-1 text-[12px] leading-4 focus-visible:outline-2 focus-visible:outline-jade ${
          isDropTarget
            ? 'bg-jade text-on-jade'
            : isPicked
              ? 'bg-selected text-ink'
              : `hover:underline ${edge.channels === 0 ? 'text-dim' : 'text-ink'}`
        }`}
      >
        {edge.name}
      </button>
      <span className="shrink-0 font-mono text-[11px] text-dim">{edge.channels}</span>
      {onOpen === null ? null : (
        <button
          type="button"
          tabIndex={-1}
          aria-label={`Open ${edge.name} into its devices`}
          title="Open into its devices (O)"
          onClick={onOpen}
          className="shrink-0 text-faint hover:text-ink"
        >
          <ChevronRight size={12} className={isSend ? 'rotate-180' : ''} />
        </button>
      )}
    </div>
  );
}
