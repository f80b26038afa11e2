import { CABLE_WORDS, ROLE_WORDS, usableOf, VERDICT_WORDS } from '@/ui/parts/network-words';
import { WRONG_COLUMN } from '@/ui/parts/signs';
import type { SheetDeclaration } from '@/ui/parts/sorted-sheet';
import { bits, percent } from '@/ui/parts/units';
import { LoadBar, UseStrip } from './bars';
import type { CableRow, Flow, StreamRow, SubnetRow, SwitchRow } from './network-rows';

function flowCell(flow: Flow, ceilingPercent: number, isIdle: boolean) {
  if (isIdle) return <span className="text-dim">idle</span>;
  if (flow.streams === 0) return <span className="text-dim">–</span>;
  return <LoadBar share={flow.share} ceilingPercent={ceilingPercent} label={`${bits(flow.bitsPerSecond)}`} />;
}

/** Cables with the load of both directions, the busiest first. @param ceilingPercent up to which a cable may be used */
export const cablesSheet = (ceilingPercent: number): SheetDeclaration<CableRow> => ({
  label: 'Cables',
  idPrefix: 'cable',
  keyOf: (r) => r.link.id,
  first: { column: 'busiest', isDescending: true },
  columns: [
    { id: 'from', title: 'From', width: 'minmax(120px,1.1fr)', cell: (r) => r.from },
    { id: 'to', title: 'To', width: 'minmax(120px,1fr)', cell: (r) => r.to },
    {
      id: 'cable',
      title: 'Cable',
      width: '112px',
      tone: 'dim',
      cell: (r) => `${r.link.metres} m ${r.link.cable ? CABLE_WORDS[r.link.cable] : ''}`,
      hint: (r) =>
        `${r.link.metres} m, ${r.link.cable ? CABLE_WORDS[r.link.cable] : 'kind not stated'}${r.link.joinedAs ? `, joined as ${r.link.joinedAs}` : ''}`,
      order: (r) => r.link.metres,
    },
    {
      id: 'speed',
      title: 'Speed',
      width: '72px',
      isNumber: true,
      cell: (r) => bits(r.link.bitsPerSecond),
      order: (r) => r.link.bitsPerSecond,
    },
    {
      id: 'there',
      title: 'Load →',
      width: '90px',
      cell: (r) => flowCell(r.there, ceilingPercent, r.isIdle),
      hint: (r) => `${r.from} to ${r.to}: ${bits(r.there.bitsPerSecond)} of ${usableOf(r.link)}`,
      order: (r) => r.there.share,
    },
    {
      id: 'back',
      title: 'Load ←',
      width: '90px',
      cell: (r) => flowCell(r.back, ceilingPercent, r.isIdle),
      hint: (r) => `${r.to} to ${r.from}: ${bits(r.back.bitsPerSecond)} of ${usableOf(r.link)}`,
      order: (r) => r.back.share,
    },
    {
      id: 'busiest',
      title: 'Busiest',
      width: '66px',
      isNumber: true,
      cell: (r) => percent(r.busiest),
      order: (r) => r.busiest,
    },
    WRONG_COLUMN,
  ],
});

/** Subnets with their addresses as a strip: held, given by DHCP, free. */
export const SUBNETS: SheetDeclaration<SubnetRow> = {
  label: 'Subnets',
  idPrefix: 'subnet',
  keyOf: (r) => r.subnet.id,
  first: { column: 'vlan', isDescending: false },
  columns: [
    { id: 'name', title: 'Subnet', width: 'minmax(90px,1fr)', cell: (r) => r.subnet.name },
    {
      id: 'vlan',
      title: 'VLAN',
      width: '62px',
      isNumber: true,
      cell: (r) => r.subnet.vlan ?? '',
      order: (r) => r.subnet.vlan ?? 0,
    },
    { id: 'role', title: 'Role', width: '62px', tone: 'dim', cell: (r) => ROLE_WORDS[r.subnet.role] },
    {
      id: 'cidr',
      title: 'Block',
      width: '124px',
      tone: 'mono',
      cell: (r) => r.subnet.cidr,
      // In the order of addresses, not of digits.
      order: (r) => r.use.block?.base ?? Infinity,
    },
    {
      id: 'used',
      title: 'Used',
      width: 'minmax(110px,1.1fr)',
      cell: (r) => <UseStrip use={r.use} name={r.subnet.name} />,
      order: (r) => r.use.held.length,
    },
    { id: 'free', title: 'Free', width: '48px', isNumber: true, cell: (r) => r.use.free },
    {
      id: 'gateway',
      title: 'Gateway',
      width: '92px',
      tone: 'mono',
      cell: (r) => r.subnet.gateway ?? <span className="text-dim">none</span>,
      order: (r) => r.subnet.gateway ?? '',
    },
    {
      id: 'querier',
      title: 'Querier',
      width: 'minmax(86px,0.8fr)',
      tone: 'dim',
      cell: (r) => r.queriers || 'none',
      order: (r) => r.queriers,
    },
    WRONG_COLUMN,
  ],
};

const VERDICT_ORDER = { unfit: 0, limited: 1, fit: 2 } as const;

/** Switches with sockets, group table, power and the verdict on their model. */
export const SWITCHES: SheetDeclaration<SwitchRow> = {
  label: 'Switches',
  idPrefix: 'switch',
  keyOf: (r) => r.device.id,
  first: { column: 'name', isDescending: false },
  columns: [
    { id: 'name', title: 'Switch', width: 'minmax(110px,1fr)', cell: (r) => r.device.name },
    { id: 'place', title: 'Place', width: 'minmax(86px,0.8fr)', tone: 'dim', cell: (r) => r.place },
    { id: 'model', title: 'Model', width: 'minmax(110px,1fr)', tone: 'dim', cell: (r) => r.modelName },
    {
      id: 'fitness',
      title: 'Model’s verdict',
      width: '124px',
      cell: (r) => (
        <span className={r.fitness === 'unfit' ? 'text-madder' : r.fitness === 'limited' ? 'text-ochre' : 'text-dim'}>
          {VERDICT_WORDS[r.fitness]}
        </span>
      ),
      order: (r) => VERDICT_ORDER[r.fitness],
    },
    {
      id: 'ports',
      title: 'Ports',
      width: '72px',
      isNumber: true,
      cell: (r) => `${r.portsUsed}/${r.ports}`,
      order: (r) => r.ports - r.portsUsed,
    },
    {
      id: 'groups',
      title: 'Groups',
      width: '84px',
      isNumber: true,
      cell: (r) => `${r.groups}/${r.groupLimit ?? '?'}`,
      order: (r) => r.groups,
    },
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
      order: (r) => (r.budgetW === null || r.budgetW === 0 ? -1 : r.watts / r.budgetW),
    },
    WRONG_COLUMN,
  ],
};

const groupOrder = (group: string | null) =>
  group === null ? Infinity : group.split('.').reduce((sum, part) => sum * 256 + Number(part), 0);

function groupCell(text: string | null, isChosen: boolean) {
  if (text === null) return <span className="text-dim">none</span>;
  return (
    <>
      {text}
      {isChosen ? <span className="text-violet"> by hand</span> : null}
    </>
  );
}

/** Streams with the groups they are sent to. */
export const STREAMS: SheetDeclaration<StreamRow> = {
  label: 'Streams',
  idPrefix: 'stream',
  keyOf: (r) => r.stream.id,
  first: { column: 'name', isDescending: false },
  columns: [
    { id: 'name', title: 'Stream', width: 'minmax(130px,1.2fr)', cell: (r) => r.name },
    { id: 'width', title: 'Ch', width: '38px', isNumber: true, cell: (r) => r.stream.width },
    {
      id: 'format',
      title: 'Format',
      width: '108px',
      tone: 'mono',
      cell: (r) => `${r.stream.format.encoding} ${r.stream.format.rateHz / 1000} kHz`,
      order: (r) => r.stream.formatKey,
    },
    {
      id: 'groupA',
      title: 'Group, leg A',
      width: 'minmax(152px,1fr)',
      tone: 'mono',
      cell: (r) => groupCell(r.stream.groupA, r.stream.isChosenA),
      order: (r) => groupOrder(r.stream.groupA),
    },
    {
      id: 'groupB',
      title: 'Group, leg B',
      width: 'minmax(118px,1fr)',
      tone: 'mono',
      cell: (r) => groupCell(r.stream.groupB, r.stream.isChosenB),
      order: (r) => groupOrder(r.stream.groupB),
    },
    { id: 'receivers', title: 'Receivers', width: '68px', isNumber: true, cell: (r) => r.stream.receiverIds.length },
    {
      id: 'load',
      title: 'Load',
      width: '96px',
      isNumber: true,
      cell: (r) => bits(r.stream.bitsPerSecond),
      order: (r) => r.stream.bitsPerSecond,
    },
    WRONG_COLUMN,
  ],
};
