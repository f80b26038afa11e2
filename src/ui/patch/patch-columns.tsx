'use client';

import { useVirtualizer } from '@tanstack/react-virtual';
import { ChevronDown, ChevronRight } from 'lucide-react';
import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import { settingsAt } from '@/core/signal/levels';
import type { Plan } from '@/core/plan/plan';
import { cursorStep } from '@/ui/parts/sheet-parts';
import { signedDb, TAP_WORDS, terminalChannel } from '@/ui/parts/signal-words';
import { count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/words';
import { COLUMNS, jointsOf, namesOf, ribbonsOf, type Column, type Joint, type Row } from './patch-rows';
import { selectChannel, usePatchSelection } from './selection';

const ROW = 26;
const GUTTER = 64;
const COLUMN_TITLES: Readonly<Record<Column, string>> = { in: 'In', inside: 'Strips and buses', out: 'Out' };

/** Inputs, strips and outputs of a device as dense rows, joined by threads. One stop of Tab for each column. */
export function PatchColumns({
  plan,
  deviceId,
  rows,
  changed,
  onFold,
  onPatch,
  onClear,
}: {
  plan: Plan;
  deviceId: string;
  rows: Readonly<Record<Column, readonly Row[]>>;
  /** Channels that a preview feeds otherwise. */
  changed: ReadonlySet<string>;
  onFold: (terminalId: string) => void;
  onPatch: () => void;
  onClear: () => void;
}) {
  const scrolls = useRef<Partial<Record<Column, HTMLDivElement | null>>>({});
  const [tops, setTops] = useState<Readonly<Record<Column, number>>>({ in: 0, inside: 0, out: 0 });
  const shown = COLUMNS.filter((c) => rows[c].length > 0);
  const touched = useTouched(rows);
  const move = (column: Column, by: number) => {
    const next = shown[shown.indexOf(column) + by];
    if (next === undefined) return;
    scrolls.current[next]?.focus();
    const first =
      rows[next].find((r) => r.kind === 'channel' && touched.has(r.key)) ??
      rows[next].find((r) => r.kind === 'channel');
    if (first) selectChannel(first.key, 'only', channelKeys(rows[next]));
  };
  return (
    <div
      className="grid min-h-0 flex-1 overflow-x-auto"
      style={{
        gridTemplateColumns: shown
          .map((_, n) => (n === 0 ? 'minmax(150px,1fr)' : `${GUTTER}px minmax(150px,1fr)`))
          .join(' '),
      }}
    >
      {shown.map((column, n) => (
        <ColumnWithGutter
          key={column}
          plan={plan}
          deviceId={deviceId}
          column={column}
          rows={rows[column]}
          left={n === 0 ? null : (shown[n - 1] as Column)}
          leftRows={n === 0 ? [] : rows[shown[n - 1] as Column]}
          tops={tops}
          changed={changed}
          touched={touched}
          onScroll={(top) => setTops((now) => ({ ...now, [column]: top }))}
          onScroller={(element) => {
            scrolls.current[column] = element;
          }}
          onSide={(by) => move(column, by)}
          onFold={onFold}
          onPatch={onPatch}
          onClear={onClear}
        />
      ))}
    </div>
  );
}

const channelKeys = (rows: readonly Row[]) => rows.flatMap((r) => (r.kind === 'channel' ? [r.key] : []));

/** The channels that feed the one at the cursor or are fed by it, within the device. */
function useTouched(rows: Readonly<Record<Column, readonly Row[]>>): ReadonlySet<string> {
  const cursor = usePatchSelection((s) => s.cursor);
  return useMemo(() => {
    const touched = new Set<string>();
    if (cursor === null) return touched;
    for (const column of COLUMNS) {
      for (const row of rows[column]) {
        if (row.kind !== 'channel') continue;
        const from = row.channel.feeders.map((f) => `${f.terminalId}:${f.channel}`);
        if (row.key === cursor) for (const key of from) touched.add(key);
        else if (from.includes(cursor)) touched.add(row.key);
      }
    }
    return touched;
  }, [rows, cursor]);
}

function ColumnWithGutter({
  plan,
  deviceId,
  column,
  rows,
  left,
  leftRows,
  tops,
  changed,
  touched,
  onScroll,
  onScroller,
  onSide,
  onFold,
  onPatch,
  onClear,
}: {
  plan: Plan;
  deviceId: string;
  column: Column;
  rows: readonly Row[];
  left: Column | null;
  leftRows: readonly Row[];
  tops: Readonly<Record<Column, number>>;
  changed: ReadonlySet<string>;
  touched: ReadonlySet<string>;
  onScroll: (top: number) => void;
  onScroller: (element: HTMLDivElement | null) => void;
  onSide: (by: number) => void;
  onFold: (terminalId: string) => void;
  onPatch: () => void;
  onClear: () => void;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const { keys, cursor } = usePatchSelection();
  const order = useMemo(() => channelKeys(rows), [rows]);
  const cursorIndex = rows.findIndex((r) => r.key === cursor);
  const virtualizer = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const [height, setHeight] = useState(600);
  useEffect(() => {
    const element = scroller.current;
    if (element === null) return;
    const observer = new ResizeObserver(() => setHeight(element.clientHeight));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  useEffect(() => {
    if (cursorIndex >= 0) virtualizer.scrollToIndex(cursorIndex, { align: 'auto' });
  }, [cursorIndex, virtualizer]);
  const joints = useMemo(() => jointsOf(deviceId, leftRows, rows), [deviceId, leftRows, rows]);

  const onKeyDown = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    const step = cursorStep(e.key);
    const at = cursor === null ? -1 : order.indexOf(cursor);
    if (step !== undefined) {
      e.preventDefault();
      const to = order[Math.max(0, Math.min(order.length - 1, at < 0 ? 0 : at + step))];
      if (to !== undefined) selectChannel(to, e.shiftKey ? 'to' : 'only', order);
    } else if (e.key === 'ArrowLeft' || e.key === 'ArrowRight') {
      e.preventDefault();
      onSide(e.key === 'ArrowLeft' ? -1 : 1);
    } else if (e.key === ' ' && cursor !== null && at >= 0) {
      e.preventDefault();
      selectChannel(cursor, 'toggle', order);
    } else if (e.key.toLowerCase() === 'a' && (e.ctrlKey || e.metaKey)) {
      e.preventDefault();
      // All of the terminal that the cursor is in.
      const terminalId = (cursor ?? order[0] ?? '').replace(/:\d+$/, '');
      const own = order.filter((key) => key.replace(/:\d+$/, '') === terminalId);
      if (own[0] !== undefined) selectChannel(cursor ?? own[0], 'all', own);
    } else if (e.key === 'Enter') {
      e.preventDefault();
      onPatch();
    } else if (e.key === 'Delete' || e.key === 'Backspace') {
      e.preventDefault();
      onClear();
    }
  };

  return (
    <>
      {left === null ? null : (
        <Threads
          joints={joints}
          leftTop={tops[left]}
          rightTop={tops[column]}
          height={height}
          changed={changed}
          cursor={cursor}
        />
      )}
      <div className="flex min-h-0 flex-col">
        <div className="h-[24px] shrink-0 truncate border-b border-line bg-panel px-2 text-[12px] leading-[24px] text-faint">
          {COLUMN_TITLES[column]}
        </div>
        <div
          ref={(element) => {
            scroller.current = element;
            onScroller(element);
          }}
          role="grid"
          aria-label={COLUMN_TITLES[column]}
          aria-multiselectable="true"
          aria-rowcount={rows.length}
          aria-activedescendant={cursorIndex >= 0 ? `patch-${cursor}` : undefined}
          tabIndex={0}
          data-patch-column={column}
          onKeyDown={onKeyDown}
          onScroll={(e) => onScroll(e.currentTarget.scrollTop)}
          className="min-h-0 flex-1 overflow-y-auto select-none focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
        >
          <div role="rowgroup" className="relative" style={{ height: virtualizer.getTotalSize() }}>
            {virtualizer.getVirtualItems().map((item) => {
              const row = rows[item.index];
              if (row === undefined) return null;
              const place = { top: item.start, height: ROW };
              return row.kind === 'terminal' ? (
                <TerminalRow key={row.key} row={row} place={place} index={item.index} onFold={onFold} />
              ) : (
                <ChannelRow
                  key={row.key}
                  plan={plan}
                  deviceId={deviceId}
                  row={row}
                  place={place}
                  index={item.index}
                  isSelected={keys.has(row.key)}
                  isCursor={cursor === row.key}
                  isTouched={touched.has(row.key)}
                  isChanged={changed.has(row.key)}
                  onPress={(how) => {
                    scroller.current?.focus({ preventScroll: true });
                    selectChannel(row.key, how, order);
                  }}
                  onOpen={onPatch}
                />
              );
            })}
          </div>
        </div>
      </div>
    </>
  );
}

type Place = { readonly top: number; readonly height: number };

function TerminalRow({
  row,
  place,
  index,
  onFold,
}: {
  row: Extract<Row, { kind: 'terminal' }>;
  place: Place;
  index: number;
  onFold: (terminalId: string) => void;
}) {
  const { terminal, isFolded } = row;
  const Fold = isFolded ? ChevronRight : ChevronDown;
  return (
    <div
      role="row"
      aria-rowindex={index + 1}
      style={place}
      className="absolute left-0 w-full border-b border-line bg-panel"
    >
      <div role="gridcell" className="h-full">
        <button
          type="button"
          tabIndex={-1}
          aria-expanded={!isFolded}
          onClick={() => onFold(terminal.id)}
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

function ChannelRow({
  plan,
  deviceId,
  row,
  place,
  index,
  isSelected,
  isCursor,
  isTouched,
  isChanged,
  onPress,
  onOpen,
}: {
  plan: Plan;
  deviceId: string;
  row: Extract<Row, { kind: 'channel' }>;
  place: Place;
  index: number;
  isSelected: boolean;
  isCursor: boolean;
  isTouched: boolean;
  isChanged: boolean;
  onPress: (how: 'only' | 'to' | 'toggle') => void;
  onOpen: () => void;
}) {
  const { terminal, channel } = row;
  const from = fromWords(plan, deviceId, row);
  const [name, also] = namesOf(terminal, channel);
  const facts = factsOf(plan, deviceId, row);
  const wrong = channel.misfits.length > 0;
  return (
    <div
      role="row"
      id={`patch-${row.key}`}
      aria-rowindex={index + 1}
      aria-selected={isSelected}
      data-row={row.key}
      title={[name, also, from, ...facts].filter(Boolean).join(' · ')}
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

const MIDDLE = ROW / 2;
/** Rows begin below the titles of the columns. */
const TITLE = 24;
/** How far ribbons run straight at both ends. */
const EDGE = 10;

/** The threads between two columns. What has scrolled out of sight runs to the edge. */
function Threads({
  joints,
  leftTop,
  rightTop,
  height,
  changed,
  cursor,
}: {
  joints: readonly Joint[];
  leftTop: number;
  rightTop: number;
  height: number;
  changed: ReadonlySet<string>;
  cursor: string | null;
}) {
  const isAtCursor = (j: Joint) => cursor !== null && (j.fedKey === cursor || j.fromKey === cursor);
  const ribbons = ribbonsOf(joints, (j) => isAtCursor(j) || changed.has(j.fedKey));
  const clamp = (y: number) => Math.max(-ROW, Math.min(height + ROW, y));
  const left = (row: number) => clamp(row * ROW - leftTop);
  const right = (row: number) => clamp(row * ROW - rightTop);
  const isSeen = (first: number, last: number, top: number) => (last + 1) * ROW > top && first * ROW < top + height;
  const seen = ribbons.filter(
    ({ first, last }) => isSeen(first.from, last.from, leftTop) || isSeen(first.to, last.to, rightTop),
  );
  const inner = GUTTER - EDGE;
  return (
    <svg aria-hidden="true" width={GUTTER} height="100%" className="h-full border-x border-line/60">
      <svg y={TITLE} height={height} width={GUTTER}>
        {seen.map(({ first, last }) => {
          const isChanged = changed.has(first.fedKey);
          const isHere = isAtCursor(first);
          const hue = isChanged ? 'text-violet' : isHere ? 'text-jade' : 'text-slate';
          // A single thread is thin; a run is as wide as its rows.
          const [a, b] = first === last ? [MIDDLE - 1, MIDDLE + 1] : [3, ROW - 3];
          const [fromTop, fromEnd] = [left(first.from) + a, left(last.from) + b];
          const [toTop, toEnd] = [right(first.to) + a, right(last.to) + b];
          return (
            <path
              key={first.fedKey}
              d={`M0 ${fromTop}H${EDGE}L${inner} ${toTop}H${GUTTER}V${toEnd}H${inner}L${EDGE} ${fromEnd}H0Z`}
              className={hue}
              fill="currentColor"
              fillOpacity={first === last ? 0.9 : 0.16}
              stroke="currentColor"
              strokeWidth={first === last ? (isHere ? 1.5 : 0) : 0.75}
              strokeDasharray={isChanged ? '4 3' : undefined}
            />
          );
        })}
      </svg>
    </svg>
  );
}
