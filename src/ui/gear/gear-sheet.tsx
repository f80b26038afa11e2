'use client';

import type { SheetPaste } from '@/ui/parts/sheet-pastes';
import { BudgetBar, Cautions, Refusals } from '@/ui/parts/signs';
import { Sheet, type SelectHow, type SheetColumn, type SheetSort } from '@/ui/parts/sheet';
import { liveWords } from '@/ui/parts/loss-words';
import { kHz } from '@/ui/parts/units';
import { needsLook } from '@/ui/session/losses';
import type { Count } from '@/core/reckon/reckoning';
import type { GearColumn, GearRow } from './gear-rows';

const COLUMNS: readonly SheetColumn<GearRow, GearColumn>[] = [
  { id: 'name', title: 'Device', width: 'minmax(132px,1.3fr)', cell: (r) => r.device.name, hint: (r) => r.device.name },
  {
    id: 'model',
    title: 'Model',
    width: 'minmax(98px,1fr)',
    tone: 'dim',
    cell: (r) => r.model?.name,
    hint: (r) => r.model?.name,
  },
  { id: 'place', title: 'Place', width: 'minmax(84px,0.8fr)', tone: 'dim', cell: (r) => r.place, hint: (r) => r.place },
  {
    id: 'addressA',
    title: 'Address, leg A',
    width: '106px',
    tone: 'mono',
    cell: (r) => r.addressA || <span className="text-dim">none</span>,
  },
  {
    id: 'rate',
    title: 'kHz',
    width: '44px',
    isNumber: true,
    cell: (r) => (r.model && r.model.ratesHz.length > 0 ? kHz(r.device.rateHz) : ''),
  },
  {
    id: 'in',
    title: 'Channels in',
    width: 'minmax(86px,0.7fr)',
    cell: (r) => <Used count={r.budget?.channelsReceive} label={`${r.device.name}: receiver channels`} />,
  },
  {
    id: 'out',
    title: 'Channels out',
    width: 'minmax(90px,0.7fr)',
    cell: (r) => <Used count={r.budget?.channelsSend} label={`${r.device.name}: sender channels`} />,
  },
  {
    id: 'field',
    title: 'Field',
    width: '78px',
    tone: 'dim',
    cell: (r) => {
      if (r.live.is === 'not-followed') return '';
      if (r.live.is === 'offline') return <span className="text-ochre">offline</span>;
      return needsLook(r.live) ? <span className="text-ochre">{liveWords(r.live)}</span> : liveWords(r.live);
    },
    hint: (r) => (r.live.is === 'not-followed' ? undefined : liveWords(r.live)),
  },
  {
    id: 'findings',
    title: 'Findings',
    width: '70px',
    cell: (r) => (
      <span className="flex items-center gap-1">
        <Refusals n={r.refusals} />
        <Cautions n={r.cautions} />
      </span>
    ),
  },
];

interface GearSheetProps {
  readonly rows: readonly GearRow[];
  readonly selectedIds: ReadonlySet<string>;
  readonly cursorId: string | null;
  readonly sort: SheetSort<GearColumn>;
  readonly onSort: (sort: SheetSort<GearColumn>) => void;
  readonly onSelect: (id: string, how: SelectHow) => void;
  readonly onOpen: (id: string) => void;
  readonly onRemove: () => void;
  readonly onRename: () => void;
  readonly onFillDown: () => void;
  readonly paste: SheetPaste<string>;
}

/** Devices as rows; Enter opens a device's channels. */
export function GearSheet({ rows, selectedIds, cursorId, ...rest }: GearSheetProps) {
  return (
    <Sheet
      label="Devices"
      idPrefix="gear"
      columns={COLUMNS}
      rows={rows}
      keyOf={(r) => r.device.id}
      selectedKeys={selectedIds}
      cursorKey={cursorId}
      {...rest}
    />
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
