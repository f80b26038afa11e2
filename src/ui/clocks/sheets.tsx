'use client';

import type { SheetPaste } from '@/ui/parts/sheet-pastes';
import { SortedSheet } from '@/ui/parts/sorted-sheet';
import type { SelectHow, SheetColumn } from '@/ui/parts/sheet';
import { WrongCell } from '@/ui/parts/signs';
import { kHz } from '@/ui/parts/units';
import { wrongOrder } from '@/ui/parts/wrong';
import type {
  ClockColumn,
  ClockRole,
  ClockRow,
  GroupColumn,
  GroupRow,
  ReferenceColumn,
  ReferenceRow,
} from './clock-rows';

interface SheetOf<Row> {
  readonly rows: readonly Row[];
  readonly selectedKeys: ReadonlySet<string>;
  readonly cursorKey: string | null;
  readonly onSelect: (key: string, how: SelectHow, keys: readonly string[]) => void;
  readonly paste?: SheetPaste<string>;
}

const ROLE_ORDER: Readonly<Record<ClockRole, number>> = {
  grandmaster: 0,
  relays: 1,
  standby: 2,
  follows: 3,
  unsynchronised: 4,
  'no PTP': 5,
};

const clockOrder = (column: ClockColumn) => (r: ClockRow) => {
  switch (column) {
    case 'name':
      return r.device.name;
    case 'role':
      return ROLE_ORDER[r.role];
    case 'domain':
      return r.settings.domainNumber;
    case 'priority1':
      return r.settings.priority1;
    case 'priority2':
      return r.settings.priority2;
    case 'class':
      return r.clockClass;
    case 'rate':
      return r.rateHz;
    case 'wrong':
      return wrongOrder(r.wrong);
    default:
      return r[column];
  }
};

/** Every clock with its settings, what it does and what paces its samples. */
export function ClockSheet(props: SheetOf<ClockRow>) {
  const columns: SheetColumn<ClockRow, ClockColumn>[] = [
    { id: 'name', title: 'Device', width: 'minmax(116px,1fr)', cell: (r) => r.device.name, hint: (r) => r.device.name },
    {
      id: 'role',
      title: 'Role',
      width: '94px',
      cell: (r) => (
        <span className={r.role === 'grandmaster' ? 'text-jade' : r.role === 'unsynchronised' ? 'text-madder' : ''}>
          {r.role}
        </span>
      ),
    },
    {
      id: 'hears',
      title: 'Follows',
      width: 'minmax(92px,0.7fr)',
      tone: 'dim',
      cell: (r) => r.hears,
      hint: (r) => r.hears,
    },
    { id: 'may', title: 'Can', width: '50px', tone: 'dim', cell: (r) => r.may },
    { id: 'domain', title: 'Dom.', width: '42px', isNumber: true, cell: (r) => r.settings.domainNumber },
    { id: 'profile', title: 'Profile', width: 'minmax(64px,1fr)', tone: 'dim', cell: (r) => r.profile },
    { id: 'priority1', title: 'P1', width: '36px', isNumber: true, cell: (r) => r.settings.priority1 },
    { id: 'priority2', title: 'P2', width: '36px', isNumber: true, cell: (r) => r.settings.priority2 },
    { id: 'class', title: 'Class', width: '44px', isNumber: true, cell: (r) => r.clockClass },
    {
      id: 'pace',
      title: 'Clocked by',
      width: 'minmax(70px,0.8fr)',
      tone: 'dim',
      cell: (r) => r.pace,
      hint: (r) => r.pace,
    },
    { id: 'rate', title: 'kHz', width: '40px', isNumber: true, cell: (r) => (r.rateHz === 0 ? '' : kHz(r.rateHz)) },
    { id: 'wrong', title: 'Findings', width: '62px', cell: (r) => <WrongCell {...r.wrong} /> },
  ];
  return (
    <SortedSheet
      label="Clocks"
      idPrefix="clock"
      columns={columns}
      first={{ column: 'role', isDescending: false }}
      orderOf={clockOrder}
      nameOf={clockName}
      keyOf={(r) => r.device.id}
      {...props}
    />
  );
}
const clockName = (r: ClockRow) => r.device.name;

const groupOrder = (column: GroupColumn) => (r: GroupRow) => {
  switch (column) {
    case 'name':
      return r.group.name;
    case 'rate':
      return r.group.rateHz;
    case 'wrong':
      return wrongOrder(r.wrong);
    default:
      return r[column];
  }
};
const groupRowName = (r: GroupRow) => r.group.name;

/** Clock groups: who decides the rate, and what it comes from. */
export function GroupSheet(props: SheetOf<GroupRow>) {
  const columns: SheetColumn<GroupRow, GroupColumn>[] = [
    {
      id: 'name',
      title: 'Clock group',
      width: 'minmax(110px,1fr)',
      cell: (r) => r.group.name,
      hint: (r) => r.group.name,
    },
    { id: 'rate', title: 'kHz', width: '60px', isNumber: true, cell: (r) => kHz(r.group.rateHz) },
    {
      id: 'authority',
      title: 'Rate decided by',
      width: 'minmax(120px,1fr)',
      cell: (r) => r.authority || <span className="text-ochre">nobody</span>,
      hint: (r) => r.authority,
    },
    {
      id: 'pace',
      title: 'Clocked by',
      width: 'minmax(110px,1fr)',
      tone: 'dim',
      cell: (r) => r.pace,
      hint: (r) => r.pace,
    },
    { id: 'members', title: 'Devices', width: '72px', isNumber: true, cell: (r) => r.members },
    { id: 'others', title: 'Other sides', width: '84px', isNumber: true, cell: (r) => r.others },
    { id: 'wrong', title: 'Findings', width: '72px', cell: (r) => <WrongCell {...r.wrong} /> },
  ];
  return (
    <SortedSheet
      label="Clock groups"
      idPrefix="group"
      columns={columns}
      first={{ column: 'name', isDescending: false }}
      orderOf={groupOrder}
      nameOf={groupRowName}
      keyOf={(r) => r.group.id}
      {...props}
    />
  );
}

const referenceOrder = (column: ReferenceColumn) => (r: ReferenceRow) => {
  switch (column) {
    case 'name':
      return r.reference.name;
    case 'rate':
      return r.reference.rateHz ?? 0;
    case 'fed':
      return Number(r.reference.isFed);
    case 'wrong':
      return wrongOrder(r.wrong);
    default:
      return r[column];
  }
};
const referenceRowName = (r: ReferenceRow) => r.reference.name;

/** Outside signals that clocks can lock to. */
export function ReferenceSheet(props: SheetOf<ReferenceRow>) {
  const columns: SheetColumn<ReferenceRow, ReferenceColumn>[] = [
    {
      id: 'name',
      title: 'Reference',
      width: 'minmax(130px,1fr)',
      cell: (r) => r.reference.name,
      hint: (r) => r.reference.name,
    },
    { id: 'kind', title: 'Kind', width: '100px', tone: 'dim', cell: (r) => r.kind },
    { id: 'from', title: 'Comes from', width: 'minmax(110px,1fr)', cell: (r) => r.from, hint: (r) => r.from },
    {
      id: 'rate',
      title: 'kHz',
      width: '60px',
      isNumber: true,
      cell: (r) => (r.reference.rateHz === null ? '–' : kHz(r.reference.rateHz)),
    },
    {
      id: 'fed',
      title: 'Fed',
      width: '60px',
      cell: (r) => (r.reference.isFed ? 'yes' : <span className="text-ochre">no</span>),
    },
    { id: 'locked', title: 'Locked', width: '80px', isNumber: true, cell: (r) => `${r.locked}/${r.listeners.length}` },
    { id: 'wrong', title: 'Findings', width: '72px', cell: (r) => <WrongCell {...r.wrong} /> },
  ];
  return (
    <SortedSheet
      label="References"
      idPrefix="reference"
      columns={columns}
      first={{ column: 'name', isDescending: false }}
      orderOf={referenceOrder}
      nameOf={referenceRowName}
      keyOf={(r) => r.reference.id}
      {...props}
    />
  );
}
