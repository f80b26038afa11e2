import type { Plan } from '../core/plan/plan';
import { fieldAddress, type AddressTranslation } from './binding';
import { failureOf, requestJson, type DeviceFailure } from './http-json';
import { isRaw } from '../core/formats/raw';
import { steadyNow } from './steady-clock';

/**
 * Reads what switches report of their sockets over RESTCONF (RFC 8040): the list of interfaces of RFC 8343 with speed and
 * state, and duplex from the Ethernet model of IEEE 802.3.2 where a switch offers it.
 */

interface FoundPort {
  readonly name: string;
  readonly isUp: boolean;
  /** Null where the switch does not say. */
  readonly bitsPerSecond: number | null;
  readonly duplex: 'full' | 'half' | null;
}

export interface SwitchReading {
  readonly readAt: number;
  readonly ports: readonly FoundPort[];
  readonly failure: DeviceFailure | null;
}

const PATH = '/restconf/data/ietf-interfaces:interfaces';
const TIMEOUT_MS = 3000;
/** RFC 8040 clause 5.2: a server chooses the form where none is asked for, and may choose XML. */
const YANG_JSON = 'application/yang-data+json';

/** The interfaces in an answer; anything that is not as the model says is passed over. */
export function readInterfaces(value: unknown): FoundPort[] {
  const container = isRaw(value) ? value['ietf-interfaces:interfaces'] : undefined;
  const list = isRaw(container) ? container['interface'] : undefined;
  if (!Array.isArray(list)) return [];
  return list.filter(isRaw).flatMap((raw): FoundPort[] => {
    const name = raw['name'];
    if (typeof name !== 'string' || name === '') return [];
    // RFC 7951: 64-bit numbers travel as strings.
    const speed = Number(raw['speed']);
    const ethernet = raw['ieee802-ethernet-interface:ethernet'];
    const duplex = isRaw(ethernet) ? ethernet['duplex'] : undefined;
    return [
      {
        name,
        isUp: raw['oper-status'] === 'up',
        bitsPerSecond: Number.isFinite(speed) && speed > 0 ? speed : null,
        duplex: duplex === 'full' || duplex === 'half' ? duplex : null,
      },
    ];
  });
}

export async function readSwitch(url: string): Promise<SwitchReading> {
  try {
    const { value } = await requestJson(`${url}${PATH}`, { timeoutMs: TIMEOUT_MS, accept: YANG_JSON });
    return { readAt: steadyNow(), ports: readInterfaces(value), failure: null };
  } catch (error) {
    return { readAt: steadyNow(), ports: [], failure: failureOf(error) };
  }
}

/** Where each switch of a plan is managed: its control address, else the first of its routed ones. */
export function managementUrls(plan: Plan, port: number, translation: AddressTranslation | null): Map<string, string> {
  const urls = new Map<string, string>();
  for (const device of plan.devices.values()) {
    if (!plan.models.get(device.modelId)?.switching) continue;
    const own = plan.interfaces.get(device.id);
    const address = own?.get('control')?.address ?? [...(own?.values() ?? [])].find((i) => i.address)?.address;
    if (address) urls.set(device.id, `http://${fieldAddress(address, translation)}:${port}`);
  }
  return urls;
}
