import { id, oneOf, record, text, type Described } from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';
import { endProblem, terminalAt, TERMINALS_OF, type Terminals } from './signal-end';
import { SIDE_TRAFFIC } from './terminal-shape';

const place = record({ deviceId: id, terminalId: id });

const shape = record({
  id,
  name: text(80, 1),
  kind: oneOf(SIDE_TRAFFIC),
  /** Where it goes in and where it has to come out, along with sound that goes from the one to the other. */
  from: place,
  to: place,
});
/** MIDI, serial data or timecode that has to travel along with sound: the remote control of a preamplifier, the clock of a player. */
export type SideTraffic = Described<typeof shape>;

function sideTrafficProblem(traffic: SideTraffic, tables: Terminals): FieldProblem | null {
  for (const path of ['from', 'to'] as const) {
    const end = { ...traffic[path], channel: 1 };
    const problem = endProblem(tables, end, ['in', 'out', 'inside'], path);
    if (problem !== null) return problem;
    const carries = terminalAt(tables, end)?.carries ?? [];
    if (!carries.includes(traffic.kind)) {
      const limit = carries.join(', ') || 'terminals that carry it';
      return { reason: 'out-of-range', path: `${path}.terminalId`, value: end.terminalId, limit };
    }
  }
  return null;
}

export const sideTraffic = table(shape)({
  owner: null,
  key: ['id'],
  since: 6,
  command: { noun: 'side-traffic', as: 'traffic', id: 'trafficId' },
  pointsTo: [
    { path: 'from.deviceId', to: 'devices', whenGone: 'taken-along' },
    { path: 'to.deviceId', to: 'devices', whenGone: 'taken-along' },
  ],
  merges: 'records',
  fits: { reads: TERMINALS_OF, problem: sideTrafficProblem, whenUnfit: 'taken-along' },
  nameOf: (r) => r.name,
});
