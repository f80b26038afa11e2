'use client';

import type { SheetPaste } from '@/ui/parts/sheet-pastes';
import type { Plan } from '@/core/plan/plan';
import type { SelectHow, SheetColumn } from '@/ui/parts/sheet';
import { SortedSheet } from '@/ui/parts/sorted-sheet';
import { bits, percent } from '@/ui/parts/units';
import { CABLE_WORDS, ROLE_WORDS, usableOf, VERDICT_WORDS } from '@/ui/parts/network-words';
import { wrongOrder } from '@/ui/parts/wrong';
import { WrongCell } from '@/ui/parts/signs';
import { LoadBar, UseStrip } from './bars';
import {
  cidrOrder,
  type CableColumn,
  type CableRow,
  type Flow,
  type StreamColumn,
  type StreamRow,
  type SubnetColumn,
  type SubnetRow,
  type SwitchColumn,
  type SwitchRow,
} from './network-rows';

interface SheetOf<Row> {
  readonly rows: readonly Row[];
  readonly selectedKeys: ReadonlySet<string>;
  readonly cursorKey: string | null;
  readonly onSelect: (key: string, how: SelectHow, keys: readonly string[]) => void;
  readonly onRemove?: () => void;
  readonly paste?: SheetPaste<string>;
}

function flowCell(flow: Flow, ceilingPercent: number, isIdle: boolean) {
  if (isIdle) return <span className="text-dim">idle</span>;
  if (flow.streams === 0) return <span className="text-dim">–</span>;
  return <LoadBar share={flow.share} ceilingPercent={ceilingPercent} label={`${bits(flow.bitsPerSecond)}`} />;
}

const cableOrder = (column: CableColumn) => (r: CableRow) => {
  switch (column) {
    case 'from':
      return r.from;
    case 'to':
      return r.to;
    case 'cable':
      return r.link.metres;
    case 'speed':
      return r.link.bitsPerSecond;
    case 'there':
      return r.there.share;
    case 'back':
      return r.back.share;
    case 'busiest':
      return r.busiest;
    case 'wrong':
      return wrongOrder(r.wrong);
  }
};
const cableName = (r: CableRow) => r.from;

/** Cables with the load of both directions, the busiest first. */
export function CableSheet({ plan, ...rest }: SheetOf<CableRow> & { plan: Plan }) {
  const ceiling = plan.settings.loadCeilingPercent;
  const columns: SheetColumn<CableRow, CableColumn>[] = [
    { id: 'from', title: 'From', width: 'minmax(120px,1.1fr)', cell: (r) => r.from, hint: (r) => r.from },
    { id: 'to', title: 'To', width: 'minmax(120px,1fr)', cell: (r) => r.to, hint: (r) => r.to },
    {
      id: 'cable',
      title: 'Cable',
      width: '112px',
      tone: 'dim',
      cell: (r) => `${r.link.metres} m ${r.link.cable ? CABLE_WORDS[r.link.cable] : ''}`,
      hint: (r) =>
        `${r.link.metres} m, ${r.link.cable ? CABLE_WORDS[r.link.cable] : 'kind not stated'}${r.link.joinedAs ? `, joined as ${r.link.joinedAs}` : ''}`,
    },
    { id: 'speed', title: 'Speed', width: '72px', isNumber: true, cell: (r) => bits(r.link.bitsPerSecond) },
    {
      id: 'there',
      title: 'Load →',
      width: '90px',
      cell: (r) => flowCell(r.there, ceiling, r.isIdle),
      hint: (r) => `${r.from} to ${r.to}: ${bits(r.there.bitsPerSecond)} of ${usableOf(r.link)}`,
    },
    {
      id: 'back',
      title: 'Load ←',
      width: '90px',
      cell: (r) => flowCell(r.back, ceiling, r.isIdle),
      hint: (r) => `${r.to} to ${r.from}: ${bits(r.back.bitsPerSecond)} of ${usableOf(r.link)}`,
    },
    { id: 'busiest', title: 'Busiest', width: '66px', isNumber: true, cell: (r) => percent(r.busiest) },
    { id: 'wrong', title: 'Findings', width: '72px', cell: (r) => <WrongCell {...r.wrong} /> },
  ];
  return (
    <SortedSheet
      label="Cables"
      idPrefix="cable"
      columns={columns}
      first={{ column: 'busiest', isDescending: true }}
      orderOf={cableOrder}
      nameOf={cableName}
      keyOf={(r) => r.link.id}
      {...rest}
    />
  );
}

const subnetOrder = (column: SubnetColumn) => (r: SubnetRow) => {
  switch (column) {
    case 'name':
      return r.subnet.name;
    case 'cidr':
      return cidrOrder(r.use);
    case 'vlan':
      return r.subnet.vlan ?? 0;
    case 'role':
      return ROLE_WORDS[r.subnet.role];
    case 'used':
      return r.use.held.length;
    case 'free':
      return r.use.free;
    case 'dhcp':
      return r.subnet.dhcp?.first ?? '';
    case 'gateway':
      return r.subnet.gateway ?? '';
    case 'querier':
      return r.queriers;
    case 'wrong':
      return wrongOrder(r.wrong);
  }
};
const subnetName = (r: SubnetRow) => r.subnet.name;

/** Subnets with their addresses as a strip: held, given by DHCP, free. */
export function SubnetSheet(props: SheetOf<SubnetRow>) {
  const columns: SheetColumn<SubnetRow, SubnetColumn>[] = [
    { id: 'name', title: 'Subnet', width: 'minmax(90px,1fr)', cell: (r) => r.subnet.name, hint: (r) => r.subnet.name },
    { id: 'vlan', title: 'VLAN', width: '62px', isNumber: true, cell: (r) => r.subnet.vlan ?? '' },
    { id: 'role', title: 'Role', width: '62px', tone: 'dim', cell: (r) => ROLE_WORDS[r.subnet.role] },
    { id: 'cidr', title: 'Block', width: '124px', tone: 'mono', cell: (r) => r.subnet.cidr },
    {
      id: 'used',
      title: 'Used',
      width: 'minmax(110px,1.1fr)',
      cell: (r) => <UseStrip use={r.use} name={r.subnet.name} />,
    },
    { id: 'free', title: 'Free', width: '48px', isNumber: true, cell: (r) => r.use.free },
    {
      id: 'gateway',
      title: 'Gateway',
      width: '92px',
      tone: 'mono',
      cell: (r) => r.subnet.gateway ?? <span className="text-dim">none</span>,
    },
    {
      id: 'querier',
      title: 'Querier',
      width: 'minmax(86px,0.8fr)',
      tone: 'dim',
      cell: (r) => r.queriers || 'none',
      hint: (r) => r.queriers,
    },
    { id: 'wrong', title: 'Findings', width: '72px', cell: (r) => <WrongCell {...r.wrong} /> },
  ];
  return (
    <SortedSheet
      label="Subnets"
      idPrefix="subnet"
      columns={columns}
      first={{ column: 'vlan', isDescending: false }}
      orderOf={subnetOrder}
      nameOf={subnetName}
      keyOf={(r) => r.subnet.id}
      {...props}
    />
  );
}

const VERDICT_ORDER = { unfit: 0, limited: 1, fit: 2 } as const;
const switchOrder = (column: SwitchColumn) => (r: SwitchRow) => {
  switch (column) {
    case 'name':
      return r.device.name;
    case 'place':
      return `${r.place} ${r.device.name}`;
    case 'model':
      return r.modelName;
    case 'fitness':
      return VERDICT_ORDER[r.fitness];
    case 'ports':
      return r.ports - r.portsUsed;
    case 'groups':
      return r.groups;
    case 'power':
      return r.budgetW === null || r.budgetW === 0 ? -1 : r.watts / r.budgetW;
    case 'wrong':
      return wrongOrder(r.wrong);
  }
};
const switchName = (r: SwitchRow) => r.device.name;

/** Switches with sockets, group table, power and the verdict on their model. */
export function SwitchSheet(props: SheetOf<SwitchRow>) {
  const columns: SheetColumn<SwitchRow, SwitchColumn>[] = [
    { id: 'name', title: 'Switch', width: 'minmax(110px,1fr)', cell: (r) => r.device.name, hint: (r) => r.device.name },
    {
      id: 'place',
      title: 'Place',
      width: 'minmax(86px,0.8fr)',
      tone: 'dim',
      cell: (r) => r.place,
      hint: (r) => r.place,
    },
    {
      id: 'model',
      title: 'Model',
      width: 'minmax(110px,1fr)',
      tone: 'dim',
      cell: (r) => r.modelName,
      hint: (r) => r.modelName,
    },
    {
      id: 'fitness',
      title: 'Model’s verdict',
      width: '124px',
      cell: (r) => (
        <span className={r.fitness === 'unfit' ? 'text-madder' : r.fitness === 'limited' ? 'text-ochre' : 'text-dim'}>
          {VERDICT_WORDS[r.fitness]}
        </span>
      ),
    },
    { id: 'ports', title: 'Ports', width: '72px', isNumber: true, cell: (r) => `${r.portsUsed}/${r.ports}` },
    { id: 'groups', title: 'Groups', width: '84px', isNumber: true, cell: (r) => `${r.groups}/${r.groupLimit ?? '?'}` },
    {
      id: 'power',
      title: 'PoE W',
      width: '96px',
      isNumber: true,
      cell: (r) =>
        r.budgetW === 0 && r.watts === 0 ? (
          <span className="text-dim">none</span>
        ) : (
          <span className={r.budgetW !== null && r.watts > r.budgetW ? 'text-madder' : ''}>
            {r.watts}/{r.budgetW ?? '?'}
          </span>
        ),
    },
    { id: 'wrong', title: 'Findings', width: '72px', cell: (r) => <WrongCell {...r.wrong} /> },
  ];
  return (
    <SortedSheet
      label="Switches"
      idPrefix="switch"
      columns={columns}
      first={{ column: 'name', isDescending: false }}
      orderOf={switchOrder}
      nameOf={switchName}
      keyOf={(r) => r.device.id}
      {...props}
    />
  );
}

const groupOrder = (group: string | null) =>
  group === null ? Infinity : group.split('.').reduce((sum, part) => sum * 256 + Number(part), 0);
const streamOrder = (column: StreamColumn) => (r: StreamRow) => {
  switch (column) {
    case 'name':
      return r.name;
    case 'format':
      return r.stream.formatKey;
    case 'width':
      return r.stream.width;
    case 'groupA':
      return groupOrder(r.stream.groupA);
    case 'groupB':
      return groupOrder(r.stream.groupB);
    case 'receivers':
      return r.stream.receiverIds.length;
    case 'load':
      return r.stream.bitsPerSecond;
    case 'links':
      return r.stream.links;
    case 'wrong':
      return wrongOrder(r.wrong);
  }
};
const streamName = (r: StreamRow) => r.name;

/** Streams with the groups they are sent to. */
export function StreamSheet(props: SheetOf<StreamRow>) {
  const group = (text: string | null, isChosen: boolean) =>
    text === null ? (
      <span className="text-dim">none</span>
    ) : (
      <>
        {text}
        {isChosen ? <span className="text-violet"> by hand</span> : null}
      </>
    );
  const columns: SheetColumn<StreamRow, StreamColumn>[] = [
    { id: 'name', title: 'Stream', width: 'minmax(130px,1.2fr)', cell: (r) => r.name, hint: (r) => r.name },
    { id: 'width', title: 'Ch', width: '38px', isNumber: true, cell: (r) => r.stream.width },
    {
      id: 'format',
      title: 'Format',
      width: '108px',
      tone: 'mono',
      cell: (r) => `${r.stream.format.encoding} ${r.stream.format.rateHz / 1000} kHz`,
    },
    {
      id: 'groupA',
      title: 'Group, leg A',
      width: 'minmax(152px,1fr)',
      tone: 'mono',
      cell: (r) => group(r.stream.groupA, r.stream.isChosenA),
    },
    {
      id: 'groupB',
      title: 'Group, leg B',
      width: 'minmax(118px,1fr)',
      tone: 'mono',
      cell: (r) => group(r.stream.groupB, r.stream.isChosenB),
    },
    { id: 'receivers', title: 'Receivers', width: '68px', isNumber: true, cell: (r) => r.stream.receiverIds.length },
    { id: 'load', title: 'Load', width: '96px', isNumber: true, cell: (r) => bits(r.stream.bitsPerSecond) },
    { id: 'wrong', title: 'Findings', width: '72px', cell: (r) => <WrongCell {...r.wrong} /> },
  ];
  return (
    <SortedSheet
      label="Streams"
      idPrefix="stream"
      columns={columns}
      first={{ column: 'name', isDescending: false }}
      orderOf={streamOrder}
      nameOf={streamName}
      keyOf={(r) => r.stream.id}
      {...props}
    />
  );
}
