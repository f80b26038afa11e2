import type { PoeClass } from '../models/models-table';
import { portNamed } from '../models/ports';
import { carriesPower } from './cable';
import type { Link, LinkEnd } from './links-table';
import { modelOf, type PlanOf, type ModelledDevices } from '../plan/plan';

/** Watts at the switch and at the device, by class (IEEE 802.3 clauses 33 and 145). */
export const POE_WATTS: Readonly<Record<PoeClass, { readonly supplied: number; readonly drawn: number }>> = {
  0: { supplied: 15.4, drawn: 12.95 },
  1: { supplied: 4, drawn: 3.84 },
  2: { supplied: 7, drawn: 6.49 },
  3: { supplied: 15.4, drawn: 12.95 },
  4: { supplied: 30, drawn: 25.5 },
  5: { supplied: 45, drawn: 40 },
  6: { supplied: 60, drawn: 51 },
  7: { supplied: 75, drawn: 62 },
  8: { supplied: 90, drawn: 71.3 },
};

interface PoweredPort {
  readonly linkId: string;
  readonly port: string;
  /** The most that the port gives; null: it gives none. */
  readonly givesClass: PoeClass | null;
  readonly deviceId: string;
  readonly takesClass: PoeClass;
  /** What the switch sets aside for it: the supply watts of its class, 0 where the port cannot feed it. */
  readonly reservedW: number;
}

interface SwitchPower {
  readonly switchId: string;
  /** Null: not known. */
  readonly budgetW: number | null;
  readonly reservedW: number;
  /** The hungriest first. */
  readonly ports: readonly PoweredPort[];
}

/** Whether a port can feed a class: class 0 asks for as much as class 3. */
export function feeds(gives: PoeClass | null, takes: PoeClass): boolean {
  return gives !== null && POE_WATTS[gives].supplied >= POE_WATTS[takes].supplied;
}

/** What every switch feeds. A device is fed by the switch at the other end of the cable on the port that asks for power. */
export function powerOf(plan: ModelledDevices & PlanOf<'links'>): Map<string, SwitchPower> {
  const power = new Map<string, SwitchPower & { ports: PoweredPort[]; reservedW: number }>();
  const portOf = ({ deviceId, port }: LinkEnd) => {
    const model = modelOf(plan, deviceId);
    return model && portNamed(model, port);
  };
  const switchingOf = (deviceId: string) => modelOf(plan, deviceId)?.switching ?? null;
  for (const device of plan.devices.values()) {
    const switching = switchingOf(device.id);
    if (switching === null) continue;
    power.set(device.id, { switchId: device.id, budgetW: switching.poeBudgetW, reservedW: 0, ports: [] });
  }
  const look = (link: Link, supply: LinkEnd, taker: LinkEnd) => {
    const own = power.get(supply.deviceId);
    if (own === undefined) return;
    const takesClass = portOf(taker)?.takesPoeClass ?? null;
    if (takesClass === null) return;
    const givesClass = carriesPower(link.cable) ? (portOf(supply)?.givesPoeClass ?? null) : null;
    const reservedW = feeds(givesClass, takesClass) ? POE_WATTS[takesClass].supplied : 0;
    own.ports.push({
      linkId: link.id,
      port: supply.port,
      givesClass,
      deviceId: taker.deviceId,
      takesClass,
      reservedW,
    });
  };
  for (const link of plan.links.values()) {
    look(link, link.from, link.to);
    look(link, link.to, link.from);
  }
  for (const own of power.values()) {
    own.ports.sort((a, b) => b.reservedW - a.reservedW || (a.linkId < b.linkId ? -1 : 1));
    // Added up in this order, so that the sum does not depend on the order of cables.
    for (const { reservedW } of own.ports) own.reservedW += reservedW;
    own.reservedW = Math.round(own.reservedW * 100) / 100;
  }
  return power;
}
