import { id, list, record, text, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';
import { endProblem, signalEnd, TERMINALS_OF, type Terminals } from '../signal/signal-end';

const shape = record({
  id,
  name: text(120, 1),
  members: list(signalEnd, 4096),
});
/** Outputs that must sound together: a ring or an array of loudspeakers. Their paths share one link offset, the smallest that fits them all. */
export type CoherenceGroup = Described<typeof shape>;

function memberProblem({ members }: CoherenceGroup, tables: Terminals): FieldProblem | null {
  for (const [n, member] of members.entries()) {
    const problem = endProblem(tables, member, ['out'], `members[${n}]`);
    if (problem !== null) return problem;
  }
  return null;
}

export const coherenceGroups = table(shape)({
  owner: null,
  key: ['id'],
  since: 5,
  command: { noun: 'coherence-group', as: 'group', id: 'groupId' },
  pointsTo: [{ path: 'members[].deviceId', to: 'devices', whenGone: 'emptied' }],
  merges: 'records',
  fits: { reads: TERMINALS_OF, problem: memberProblem, whenUnfit: 'taken-along' },
  nameOf: (r) => r.name,
});
