import type { SheetDeclaration } from '@/ui/parts/sorted-sheet';
import { WRONG_COLUMN } from '@/ui/parts/signs';
import { kHz } from '@/ui/parts/units';
import type { ClockRole, ClockRow, GroupRow, ReferenceRow } from './clock-rows';

const ROLE_ORDER: Readonly<Record<ClockRole, number>> = {
  grandmaster: 0,
  relays: 1,
  standby: 2,
  follows: 3,
  unsynchronised: 4,
  'no PTP': 5,
};

/** Every clock with its settings, what it does and what paces its samples. */
export const CLOCKS: SheetDeclaration<ClockRow> = {
  label: 'Clocks',
  idPrefix: 'clock',
  keyOf: (r) => r.device.id,
  first: { column: 'role', isDescending: false },
  columns: [
    { id: 'name', title: 'Device', width: 'minmax(116px,1fr)', cell: (r) => r.device.name },
    {
      id: 'role',
      title: 'Role',
      width: '94px',
      cell: (r) => (
        <span className={r.role === 'grandmaster' ? 'text-jade' : r.role === 'unsynchronised' ? 'text-madder' : ''}>
          {r.role}
        </span>
      ),
      order: (r) => ROLE_ORDER[r.role],
    },
    { id: 'follows', title: 'Follows', width: 'minmax(92px,0.7fr)', tone: 'dim', cell: (r) => r.follows },
    { id: 'may', title: 'Can', width: '50px', tone: 'dim', cell: (r) => r.may },
    { id: 'domain', title: 'Dom.', width: '42px', isNumber: true, cell: (r) => r.settings.domainNumber },
    { id: 'profile', title: 'Profile', width: 'minmax(64px,1fr)', tone: 'dim', cell: (r) => r.profile },
    { id: 'priority1', title: 'P1', width: '36px', isNumber: true, cell: (r) => r.settings.priority1 },
    { id: 'priority2', title: 'P2', width: '36px', isNumber: true, cell: (r) => r.settings.priority2 },
    { id: 'class', title: 'Class', width: '44px', isNumber: true, cell: (r) => r.clockClass },
    { id: 'pace', title: 'Clocked by', width: 'minmax(70px,0.8fr)', tone: 'dim', cell: (r) => r.pace },
    {
      id: 'rate',
      title: 'kHz',
      width: '40px',
      isNumber: true,
      cell: (r) => (r.rateHz === 0 ? '' : kHz(r.rateHz)),
      order: (r) => r.rateHz,
    },
    { ...WRONG_COLUMN, width: '62px' },
  ],
};

/** Clock groups: who decides the rate, and what it comes from. */
export const GROUPS: SheetDeclaration<GroupRow> = {
  label: 'Clock groups',
  idPrefix: 'group',
  keyOf: (r) => r.group.id,
  first: { column: 'name', isDescending: false },
  columns: [
    { id: 'name', title: 'Clock group', width: 'minmax(110px,1fr)', cell: (r) => r.group.name },
    {
      id: 'rate',
      title: 'kHz',
      width: '60px',
      isNumber: true,
      cell: (r) => kHz(r.group.rateHz),
      order: (r) => r.group.rateHz,
    },
    {
      id: 'authority',
      title: 'Rate decided by',
      width: 'minmax(120px,1fr)',
      cell: (r) => r.authority || <span className="text-ochre">nobody</span>,
      order: (r) => r.authority,
    },
    { id: 'pace', title: 'Clocked by', width: 'minmax(110px,1fr)', tone: 'dim', cell: (r) => r.pace },
    { id: 'members', title: 'Devices', width: '72px', isNumber: true, cell: (r) => r.members },
    { id: 'others', title: 'Other sides', width: '84px', isNumber: true, cell: (r) => r.others },
    WRONG_COLUMN,
  ],
};

/** Outside signals that clocks can lock to. */
export const REFERENCES: SheetDeclaration<ReferenceRow> = {
  label: 'References',
  idPrefix: 'reference',
  keyOf: (r) => r.reference.id,
  first: { column: 'name', isDescending: false },
  columns: [
    { id: 'name', title: 'Reference', width: 'minmax(130px,1fr)', cell: (r) => r.reference.name },
    { id: 'kind', title: 'Kind', width: '100px', tone: 'dim', cell: (r) => r.kind },
    { id: 'from', title: 'Comes from', width: 'minmax(110px,1fr)', cell: (r) => r.from },
    {
      id: 'rate',
      title: 'kHz',
      width: '60px',
      isNumber: true,
      cell: (r) => (r.reference.rateHz === null ? '–' : kHz(r.reference.rateHz)),
      order: (r) => r.reference.rateHz ?? 0,
    },
    {
      id: 'fed',
      title: 'Fed',
      width: '60px',
      cell: (r) => (r.reference.isFed ? 'yes' : <span className="text-ochre">no</span>),
      order: (r) => Number(r.reference.isFed),
    },
    {
      id: 'locked',
      title: 'Locked',
      width: '80px',
      isNumber: true,
      cell: (r) => `${r.locked}/${r.listeners.length}`,
      order: (r) => r.locked,
    },
    WRONG_COLUMN,
  ],
};
