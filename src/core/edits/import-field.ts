import { isHostOfBlock, parseAddress, parseCidr } from '../network/address';
import type { NetworkRow } from './import-network';
import { modelOf, interfacesOf, type PlanOf } from '../plan/plan';
import type { SubnetRole } from '../network/subnets-table';

/** What a bound device says of its own network interfaces (IS-04 node resource). */
export interface FoundInterfaces {
  readonly addresses: readonly string[];
  readonly interfaces: readonly {
    readonly name: string;
    readonly attached: { readonly chassisId: string; readonly portId: string } | null;
  }[];
}

/**
 * The field as rows to be held against the plan: for each device its addresses, leg by leg, and the switch sockets that
 * LLDP heard at the other end. Which leg an address is follows from the subnet that holds it. A switch is known by its
 * serial, its name or its id.
 */
export function rowsOfField(
  plan: PlanOf<'models' | 'subnets' | 'devices' | 'interfaces'>,
  found: ReadonlyMap<string, FoundInterfaces>,
): NetworkRow[] {
  const rows: NetworkRow[] = [];
  const switchBySign = new Map<string, string>();
  for (const device of plan.devices.values()) {
    if (!plan.models.get(device.modelId)?.switching) continue;
    for (const sign of [device.id, device.name, device.serial])
      if (sign) switchBySign.set(sign.toLowerCase(), device.id);
  }
  for (const [deviceId, { addresses, interfaces }] of [...found].sort(([a], [b]) => (a < b ? -1 : 1))) {
    const model = modelOf(plan, deviceId);
    if (model === undefined) continue;
    const byPort = new Map<string, { address: string | null; switch: string | null; socket: string | null }>();
    const rowFor = (port: string) => {
      let row = byPort.get(port);
      if (row === undefined) byPort.set(port, (row = { address: null, switch: null, socket: null }));
      return row;
    };
    const own = [...interfacesOf(plan, deviceId).values()];
    for (const address of addresses) {
      const held = own.find((i) => i.address === address);
      const role = held ? held.name : roleOf(plan, address);
      const port = model.ports.find((p) => p.role === role) ?? (held ? undefined : model.ports[0]);
      // An address that is in the plan as it is needs no row, and one port has one address.
      if (port === undefined || held || byPort.get(port.name)?.address) continue;
      rowFor(port.name).address = address;
    }
    interfaces.forEach(({ name, attached }, n) => {
      if (attached === null || attached.portId === '') return;
      const port = model.ports.find((p) => p.role === name || p.name === name) ?? model.ports[n];
      if (port === undefined) return;
      const row = rowFor(port.name);
      row.switch = switchBySign.get(attached.chassisId.toLowerCase()) ?? attached.chassisId;
      row.socket = attached.portId;
    });
    for (const [port, row] of byPort) {
      const silent = { model: null, place: null, subnet: null, speed: null, cable: null, metres: null };
      rows.push({ line: null, device: deviceId, port, ...row, ...silent });
    }
  }
  return rows;
}

function roleOf(plan: PlanOf<'subnets'>, address: string): SubnetRole | null {
  const parsed = parseAddress(address);
  if (parsed === null) return null;
  for (const subnet of plan.subnets.values()) {
    const block = parseCidr(subnet.cidr);
    if (block !== null && isHostOfBlock(parsed, block)) return subnet.role === 'other' ? 'A' : subnet.role;
  }
  return null;
}
