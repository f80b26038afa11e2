import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from '../formats/plan-file';
import { transitOf } from '../delay/link-offset';
import { reachOf } from '../network/reach';
import { topologyOf } from '../network/topology';
import { choice, chosen } from '../plan/test-arbitrary';
import { modelOf, type Plan } from '../plan/plan';
import { apply } from '../plan/test-plan';
import { pairOf, type Pair, type PairFits } from './pair';
import { profileOf, type DeviceProfile } from './profile';

/** Profiles with a topology of their own, so that no two devices share what was worked out of their kinds. */
function profilesOf(plan: Plan): (deviceId: string) => DeviceProfile | null {
  const topology = topologyOf(plan);
  const reach = reachOf(plan, topology.routes);
  const known = new Map<string, DeviceProfile>();
  for (const device of plan.devices.values()) {
    const model = plan.models.get(device.modelId);
    if (model !== undefined) known.set(device.id, profileOf(plan.settings, reach, topology, device, model));
  }
  return (deviceId) => known.get(deviceId) ?? null;
}

/** What a pair comes to, as text: with the figures of its ways in place of the ways. */
function told(pair: Pair): string {
  if (!pair.fits) return JSON.stringify(pair);
  const { format, formatKey, channelsMax, legs, missingLeg, betweenSubnets, isWayKnown, mostLinks } = pair;
  const ways = waysOf(pair).map((way) => way && [way.fixedNs, way.nsPerBit, way.routers, way.hops().directed]);
  const plain = { format, formatKey, channelsMax, legs, missingLeg, betweenSubnets, ways };
  return JSON.stringify({ ...plain, isWayKnown, mostLinks, transitNs: pair.transitNs(1230) });
}

const waysOf = ({ wayA, wayB }: PairFits) => [wayA, wayB];

/** Whether the figures that are worked out without making ways are those of the ways. */
function areOfItsWays(pair: PairFits): boolean {
  const ways = waysOf(pair);
  const transits = ways.map((way) => (way === null ? 0 : transitOf(way, 1230)));
  const linkCounts = ways.map((way) => way?.hops().links.length ?? 0);
  return (
    pair.transitNs(1230) === Math.max(...transits) &&
    pair.mostLinks === Math.max(...linkCounts) &&
    pair.isWayKnown === pair.legs.every((leg) => ways[leg === 'A' ? 0 : 1] != null)
  );
}

/** Mostly that of the house, so that others of a kind stay alike in all but what is tried. */
const RATES = [44_100, 48_000, 48_000, 48_000, 96_000] as const;

test('law: two devices hear each other as if no others of their kinds had been asked about before', () => {
  const reasons = new Set<string>();
  fc.assert(
    fc.property(
      fc.array(fc.tuple(choice, fc.constantFrom(...RATES), fc.boolean()), { minLength: 6, maxLength: 24 }),
      fc.array(choice, { maxLength: 4 }),
      fc.array(choice, { maxLength: 4 }),
      fc.constantFrom(1, 32),
      (changed, unaddressed, cut, multicastTtl) => {
        let plan = planOfFile(skerryPoint());
        plan = { ...plan, settings: { ...plan.settings, multicastTtl } };
        const ids = [...plan.devices.keys()];
        for (const [at, rateHz, sendsUnicast] of changed) {
          const deviceId = chosen(ids, at);
          if (deviceId !== undefined)
            plan = apply(plan, { kind: 'change-device', deviceId, change: { rateHz, sendsUnicast } });
        }
        for (const at of unaddressed) {
          const onA = [...plan.interfaces].filter(([, own]) => own.has('A')).map(([id]) => id);
          const deviceId = chosen(onA, at);
          if (deviceId !== undefined) plan = apply(plan, { kind: 'remove-interface', deviceId, name: 'A' });
        }
        for (const at of cut) {
          const isSwitch = (id: string) => (modelOf(plan, id)?.switching ?? null) !== null;
          const trunks = [...plan.links.values()].filter((l) => isSwitch(l.from.deviceId) && isSwitch(l.to.deviceId));
          const linkId = chosen(trunks, at)?.id;
          if (linkId !== undefined) plan = apply(plan, { kind: 'remove-link', linkId });
        }
        const shared = profilesOf(plan);
        const wrong: string[] = [];
        for (const senderId of ids) {
          // Each is heard by all with a topology of its own, in which nobody was asked about before but by this one.
          const alone = profilesOf(plan);
          for (const receiverId of ids) {
            const [sender, receiver] = [shared(senderId), shared(receiverId)];
            if (sender === null || receiver === null) continue;
            const pair = pairOf(sender, receiver);
            reasons.add(pair.fits ? 'fits' : pair.reason.code);
            const [from, to] = [alone(senderId) as DeviceProfile, alone(receiverId) as DeviceProfile];
            const alike = pairOf({ ...from, kind: { number: 0, toward: [] } }, to);
            if (told(pair) !== told(alike) || (pair.fits && !areOfItsWays(pair)))
              wrong.push(`${senderId} ${receiverId}`);
          }
        }
        expect(wrong).toEqual([]);
      },
    ),
    { numRuns: 20 },
  );
  const every = ['fits', 'rate-differs', 'no-address', 'not-joined', 'ttl-too-short'];
  expect([...reasons]).toEqual(expect.arrayContaining(every));
});
