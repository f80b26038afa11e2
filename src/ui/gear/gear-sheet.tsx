'use client';

import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef, type KeyboardEvent } from 'react';
import { BudgetBar, Cautions, Refusals } from '@/ui/parts/signs';
import { kHz } from '@/ui/parts/units';
import type { Count } from '@/core/reckon/reckoning';
import type { GearColumn, GearRow } from './gear-rows';

const COLUMNS =
  'grid grid-cols-[minmax(130px,1.3fr)_minmax(110px,1fr)_minmax(86px,0.8fr)_108px_46px_minmax(96px,0.7fr)_minmax(96px,0.7fr)_70px_60px]';
const HEADERS: readonly { readonly id: GearColumn; readonly title: string; readonly isNumber?: boolean }[] = [
  { id: 'name', title: 'Device' },
  { id: 'model', title: 'Model' },
  { id: 'place', title: 'Place' },
  { id: 'addressA', title: 'Address, leg A' },
  { id: 'rate', title: 'kHz', isNumber: true },
  { id: 'in', title: 'Channels in' },
  { id: 'out', title: 'Channels out' },
  { id: 'field', title: 'Field' },
  { id: 'findings', title: 'Wrong' },
];

/** The sticky header stands above the rows within what scrolls. */
const HEADER_HEIGHT = 26;

export interface GearSheetProps {
  readonly rows: readonly GearRow[];
  readonly selectedIds: ReadonlySet<string>;
  readonly cursorId: string | null;
  readonly sort: { readonly column: GearColumn; readonly isDescending: boolean };
  readonly onSort: (column: GearColumn) => void;
  readonly onSelect: (id: string, how: 'only' | 'to' | 'toggle') => void;
  readonly onOpen: (id: string) => void;
  readonly onRemove: () => void;
  readonly onRename: () => void;
}

/** Devices as rows. One tab stop; arrows move, Enter opens a device's channels, F2 renames, Delete removes. */
export function GearSheet(props: GearSheetProps) {
  const { rows, selectedIds, cursorId, sort, onSort, onSelect } = props;
  const scroller = useRef<HTMLDivElement>(null);
  const virtualizer = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 28,
    overscan: 4,
    useFlushSync: false,
    scrollMargin: HEADER_HEIGHT,
    scrollPaddingStart: HEADER_HEIGHT,
  });
  const cursorIndex = rows.findIndex((r) => r.device.id === cursorId);
  useEffect(() => {
    if (cursorIndex < 0) return;
    // A step of the cursor scrolls as little as it must; a jump from a link shows what is around it.
    const isNear = virtualizer.getVirtualItems().some((item) => item.index === cursorIndex);
    virtualizer.scrollToIndex(cursorIndex, { align: isNear ? 'auto' : 'center' });
  }, [cursorIndex, virtualizer]);

  const isCursorDrawn = virtualizer.getVirtualItems().some((item) => item.index === cursorIndex);

  const onKeyDown = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 20, PageUp: -20, Home: -Infinity, End: Infinity }[e.key];
    if (step !== undefined) {
      e.preventDefault();
      const to = rows[Math.max(0, Math.min(rows.length - 1, cursorIndex < 0 ? 0 : cursorIndex + step))];
      if (to) onSelect(to.device.id, e.shiftKey ? 'to' : 'only');
    } else if (e.key === ' ' && cursorId !== null) {
      e.preventDefault();
      onSelect(cursorId, 'toggle');
    } else if (e.key === 'Enter' && cursorId !== null) {
      e.preventDefault();
      props.onOpen(cursorId);
    } else if (e.key === 'F2') {
      e.preventDefault();
      props.onRename();
    } else if (e.key === 'Delete' || e.key === 'Backspace') {
      e.preventDefault();
      props.onRemove();
    }
  };

  return (
    <div
      ref={scroller}
      role="grid"
      aria-label="Devices"
      aria-multiselectable="true"
      aria-rowcount={rows.length + 1}
      aria-activedescendant={isCursorDrawn ? `gear-${cursorId}` : undefined}
      tabIndex={0}
      onKeyDown={onKeyDown}
      data-gear-grid
      className="min-h-0 flex-1 overflow-y-auto select-none focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
    >
      <div role="rowgroup" className="sticky top-0 z-10">
        <div
          role="row"
          aria-rowindex={1}
          className={`${COLUMNS} h-[26px] items-center border-b border-line bg-bg text-[12px] text-faint`}
        >
          {HEADERS.map(({ id, title, isNumber }) => {
            const isSorted = sort.column === id;
            return (
              <span
                key={id}
                role="columnheader"
                aria-sort={isSorted ? (sort.isDescending ? 'descending' : 'ascending') : 'none'}
                className={`truncate px-2 ${isNumber ? 'text-right' : ''}`}
              >
                <button type="button" tabIndex={-1} className="hover:text-ink" onClick={() => onSort(id)}>
                  {title}
                  {isSorted ? (sort.isDescending ? ' ↓' : ' ↑') : ''}
                </button>
              </span>
            );
          })}
        </div>
      </div>
      <div role="rowgroup" className="relative" style={{ height: virtualizer.getTotalSize() }}>
        {virtualizer.getVirtualItems().map((item) => {
          const row = rows[item.index];
          if (row === undefined) return null;
          const { device, model, budget } = row;
          const isSelected = selectedIds.has(device.id);
          return (
            <div
              key={device.id}
              role="row"
              id={`gear-${device.id}`}
              aria-rowindex={item.index + 2}
              aria-selected={isSelected}
              data-device={device.id}
              onPointerDown={(e) => {
                if (e.button !== 0) return;
                scroller.current?.focus({ preventScroll: true });
                onSelect(device.id, e.shiftKey ? 'to' : e.ctrlKey || e.metaKey ? 'toggle' : 'only');
              }}
              onDoubleClick={() => props.onOpen(device.id)}
              style={{ top: item.start - HEADER_HEIGHT, height: 28 }}
              className={`${COLUMNS} absolute left-0 w-full items-center border-b border-line/60 ${isSelected ? 'bg-selected' : ''} ${
                cursorId === device.id ? 'shadow-[inset_3px_0_var(--jade)]' : ''
              }`}
            >
              <Cell title={device.name}>{device.name}</Cell>
              <Cell title={model?.name} dim>
                {model?.name}
              </Cell>
              <Cell title={row.place} dim>
                {row.place}
              </Cell>
              <Cell mono>{row.addressA || <span className="text-dim">none</span>}</Cell>
              <Cell mono right>
                {model && model.ratesHz.length > 0 ? kHz(device.rateHz) : ''}
              </Cell>
              <Cell>
                <Used count={budget?.channelsReceive} label={`${device.name}: receiver channels`} />
              </Cell>
              <Cell>
                <Used count={budget?.channelsSend} label={`${device.name}: sender channels`} />
              </Cell>
              <Cell dim>{row.field === 'not followed' ? '' : row.field}</Cell>
              <span role="gridcell" className="flex items-center gap-1 px-2">
                <Refusals n={row.refusals} />
                <Cautions n={row.cautions} />
              </span>
            </div>
          );
        })}
      </div>
    </div>
  );
}

function Cell({
  children,
  title,
  mono,
  dim,
  right,
}: {
  children: React.ReactNode;
  title?: string | undefined;
  mono?: boolean;
  dim?: boolean;
  right?: boolean;
}) {
  return (
    <span
      role="gridcell"
      title={title}
      className={`truncate px-2 ${mono ? 'font-mono text-[12px]' : ''} ${dim ? 'text-dim' : ''} ${right ? 'text-right' : ''}`}
    >
      {children}
    </span>
  );
}

function Used({ count, label }: { count: Count | undefined; label: string }) {
  if (count === undefined || count.limit === 0) return null;
  return (
    <span className="flex items-center gap-1.5 font-mono text-[12px]">
      <BudgetBar used={count.used} limit={count.limit} label={label} narrow />
      {count.used}/{count.limit}
    </span>
  );
}
