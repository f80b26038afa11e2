import { isMulticast, parseCidr } from '../network/address';
import { ENCODINGS, PACKET_TIMES_US } from '../streams/format';
import { cidr, defaulted, exactly, flag, oneOf, record, text, whole, type Described } from './shape';
import { table, type FieldProblem } from './table';

/** Multicast, RFC 5771. */
export const GROUPS = '224.0.0.0 to 239.255.255.255';

const shape = record({
  id: exactly('settings'),
  name: text(),
  preferredEncoding: oneOf(ENCODINGS),
  preferredPacketTimeUs: oneOf(PACKET_TIMES_US),
  /** Multicast groups are taken from these pools (RFC 2365), one for each leg. */
  poolA: cidr,
  poolB: cidr,
  rtpPort: whole(1024, 65_534),
  /** Whether media packets carry an 802.1Q tag on the cables whose load is stated. */
  vlanTagged: flag,
  /** A link is overloaded above this share of what is not set aside. */
  loadCeilingPercent: defaulted(whole(1, 100), 70),
  /** Allowance for control and monitoring on every link, each way. */
  controlBitsPerSecond: defaulted(whole(0, 1_000_000_000), 1_000_000),
  /** Time to live of media packets: each router on the way takes one. */
  multicastTtl: defaulted(whole(1, 255), 32),
  /** DiffServ code points (AES67 clause 6: 46 and 34). */
  ptpDscp: defaulted(whole(0, 63), 46),
  mediaDscp: defaulted(whole(0, 63), 34),
  /** How devices find one another: through a registry that all reach, or by mDNS and SAP, which stay in a subnet. */
  discovery: defaulted(oneOf(['registry', 'local']), 'registry'),
});
export type PlanSettings = Described<typeof shape>;

export const DEFAULT_SETTINGS: PlanSettings = {
  id: 'settings',
  name: 'New plan',
  preferredEncoding: 'L24',
  preferredPacketTimeUs: 1000,
  poolA: '239.71.0.0/16',
  poolB: '239.72.0.0/16',
  rtpPort: 5004,
  vlanTagged: false,
  loadCeilingPercent: 70,
  controlBitsPerSecond: 1_000_000,
  multicastTtl: 32,
  ptpDscp: 46,
  mediaDscp: 34,
  discovery: 'registry',
};

/** Pools hold groups. Only what is newly set is looked at. */
export function poolProblem(settings: Partial<PlanSettings>): FieldProblem | null {
  for (const path of ['poolA', 'poolB'] as const) {
    const value = settings[path];
    const block = value === undefined ? undefined : parseCidr(value);
    if (value !== undefined && (!block || !isMulticast(block.base))) {
      return { reason: 'out-of-range', path, value, limit: GROUPS };
    }
  }
  return null;
}

/** What holds for the whole plan: one record, which is always there. */
export const settings = table(shape)({
  owner: null,
  key: [],
  since: 1,
  pointsTo: [],
  merges: 'records',
  nameOf: (r) => r.name,
});
