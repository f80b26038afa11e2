import { modelOf, type PlanOf } from '../plan/plan';
import { sameValue } from '../plan/same-value';
import type { FoundMapping } from './field-facts';
import type { FindingAbout } from './finding';

type Found = FindingAbout<'map-limits-differ' | 'no-channel-map' | 'maps-apart'>;

/**
 * Devices whose channel maps (IS-08) are limited otherwise than their model says, or which have none where their model says that channels are
 * mapped freely: the plan would refuse what they can do, or send what they refuse. `byDevice` is what devices tell, by plan device.
 */
export function fieldMapFindings(
  plan: PlanOf<'models' | 'devices'>,
  byDevice: ReadonlyMap<string, FoundMapping>,
): Found[] {
  const findings: Found[] = [];
  for (const [deviceId, mapping] of byDevice) {
    const model = modelOf(plan, deviceId);
    if (model === undefined) continue;
    const base = { severity: 'caution', deviceIds: [deviceId] } as const;
    const { sendOrder, receiveOrder } = model;
    if (mapping.apart !== undefined) {
      // What its model should say follows once it is known which of them it is.
      findings.push({ ...base, id: `map|${deviceId}|apart`, about: 'maps-apart', ...mapping.apart });
      continue;
    }
    if (mapping.has === 'no-map') {
      // What the model says of the order counts: devices do not tell which channels their streams feed.
      const isMissing =
        (mapping.sendOrder !== null && sendOrder === null) || (mapping.receiveOrder !== null && receiveOrder === null);
      if (!isMissing) continue;
      const order = { sendOrder: sendOrder ?? mapping.sendOrder, receiveOrder: receiveOrder ?? mapping.receiveOrder };
      findings.push({ ...base, id: `map|${deviceId}`, about: 'no-channel-map', ...order });
      continue;
    }
    const isPlannedWithout = sendOrder !== null || receiveOrder !== null;
    for (const [side, planned, found] of [
      ['receive', model.receiveMap, mapping.receive],
      ['send', model.sendMap, mapping.send],
    ] as const) {
      if (found === undefined || (!isPlannedWithout && sameValue(planned, found))) continue;
      findings.push({
        ...base,
        id: `map|${deviceId}|${side}`,
        about: 'map-limits-differ',
        side,
        planned: isPlannedWithout ? 'no-map' : planned,
        found,
      });
    }
  }
  return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
}
