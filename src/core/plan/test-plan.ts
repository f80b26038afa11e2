import { CATALOGUE } from '../models/catalogue';
import type { Model } from '../models/models-table';
import { applyCommands } from './apply-commands';
import type { BusSend } from '../patch/bus-sends-table';
import type { Command } from './commands';
import { emptyPlan, type Plan } from './plan';
import { PLAIN_DEVICE, type Device } from './devices-table';
import { PLAIN_LINK, type Link } from '../network/links-table';
import { PLAIN_SUBNET } from '../network/subnets-table';

/** A readable builder of small plans for tests. */

export function modelNamed(id: string, change: Partial<Model> = {}): Model {
  const found = CATALOGUE.find((m) => m.id === id);
  if (found === undefined) throw new Error(`no model ${id}`);
  return { ...found, ...change };
}

export function apply(plan: Plan, ...commands: Command[]): Plan {
  const result = applyCommands(plan, commands);
  if (!result.ok) throw new Error(JSON.stringify(result.problem));
  return result.plan;
}

export const deviceOf = (id: string, model: Model, change: Partial<Device> = {}): Device => ({
  ...PLAIN_DEVICE,
  id,
  name: id,
  modelId: model.id,
  rateHz: 48_000,
  ...change,
});

/** One subnet on leg A and these devices in it, with addresses from .11 on. */
export function planOf(devices: Readonly<Record<string, Model | [Model, Partial<Device>]>>): Plan {
  let plan = apply(emptyPlan('Test'), {
    kind: 'put-subnet',
    subnet: { id: 'a', name: 'Leg A', cidr: '10.0.0.0/24', vlan: null, role: 'A', ...PLAIN_SUBNET },
  });
  let host = 10;
  for (const [id, entry] of Object.entries(devices)) {
    const [model, change] = Array.isArray(entry) ? entry : [entry, {}];
    host += 1;
    plan = apply(
      plan,
      { kind: 'put-model', model },
      { kind: 'add-device', device: deviceOf(id, model, change) },
      { kind: 'put-interface', interface: { deviceId: id, name: 'A', subnetId: 'a', address: `10.0.0.${host}` } },
    );
  }
  return plan;
}

/** `feed('console', 1, 'amp', 1, 8)`: eight lanes in step. */
export function feed(sender: string, firstSent: number, receiver: string, firstReceived: number, count = 1): Command {
  return {
    kind: 'subscribe',
    subscriptions: Array.from({ length: count }, (_, n) => ({
      receiverDeviceId: receiver,
      receiverChannel: firstReceived + n,
      senderDeviceId: sender,
      senderChannel: firstSent + n,
    })),
  };
}

/** A strip of a console that goes to a bus of it. */
export const busSend = (deviceId: string, strip: number, bus: number, rest: Partial<BusSend> = {}): Command => ({
  kind: 'put-bus-send',
  send: {
    ...{ deviceId, terminalId: 'buses', channel: bus, fromTerminalId: 'strips', fromChannel: strip },
    ...{ tap: null, isOn: true, levelDb: null },
    ...rest,
  },
});

/** A cable of 1 Gb/s between two sockets. */
export const cable = (
  id: string,
  from: string,
  fromPort: string,
  to: string,
  toPort: string,
  change: Partial<Link> = {},
): Command => ({
  kind: 'put-link',
  link: {
    id,
    from: { deviceId: from, port: fromPort },
    to: { deviceId: to, port: toPort },
    bitsPerSecond: 1e9,
    metres: 10,
    ...PLAIN_LINK,
    ...change,
  },
});
