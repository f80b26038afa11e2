import { createHash } from 'node:crypto';
import type { RateHz } from '../core/streams/format';
import type { Connection } from './connection';
import { eventsOf, hasEvents } from './events';
import type { StandinSpec } from './fleet';
import type { Resource, ResourceType } from '../registry/resources';

/** A stable id made from a serial: the same device has the same ids after every restart. */
function idFrom(...parts: readonly string[]): string {
  const hex = createHash('sha1').update(parts.join('|')).digest('hex');
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-5${hex.slice(13, 16)}-a${hex.slice(17, 20)}-${hex.slice(20, 32)}`;
}

export interface NodeIds {
  readonly node: string;
  readonly device: string;
  /** By the number of the stream, from 1. */
  readonly sender: (n: number) => string;
  readonly receiver: (n: number) => string;
  readonly source: (n: number) => string;
  readonly flow: (n: number) => string;
  /** By the name of what it tells. */
  readonly eventSource: (label: string) => string;
  readonly eventFlow: (label: string) => string;
}

export function idsOf(serial: string): NodeIds {
  const numbered = (kind: string) => {
    const made: string[] = [];
    return (n: number) => (made[n] ??= idFrom(serial, kind, String(n)));
  };
  return {
    node: idFrom(serial, 'node'),
    device: idFrom(serial, 'device'),
    sender: numbered('sender'),
    receiver: numbered('receiver'),
    source: numbered('source'),
    flow: numbered('flow'),
    eventSource: (label) => idFrom(serial, 'event-source', label),
    eventFlow: (label) => idFrom(serial, 'event-flow', label),
  };
}

export function mac(serial: string, index: number): string {
  const hex = createHash('sha1').update(`${serial}|mac|${index}`).digest('hex');
  return `02-${[0, 2, 4, 6, 8].map((at) => hex.slice(at, at + 2)).join('-')}`;
}

/** The state of a device that its resources tell of. */
export interface NodeState {
  readonly spec: StandinSpec;
  readonly ids: NodeIds;
  readonly port: number;
  readonly label: string;
  readonly rateHz: RateHz;
  /** As IS-04 has it. */
  readonly clock: Readonly<Record<string, unknown>>;
  readonly version: (id: string) => string;
  readonly activeOf: (endId: string) => Connection['active'];
  /** How many channels the nth stream carries. */
  readonly widthOf: (n: number) => number;
}

/** Whether a device maps channels to streams (IS-08). */
export const hasChannelMap = ({ sendOrder, receiveOrder }: StandinSpec) => sendOrder == null && receiveOrder == null;

const hostOf = (spec: StandinSpec) => spec.interfaces[0]?.address ?? '127.0.0.1';

/** Everything that a node registers (IS-04 v1.3), what is pointed at first. */
export function resourcesOf(state: NodeState): [ResourceType, Resource][] {
  const { spec, ids, port, label, rateHz, clock, version, activeOf, widthOf } = state;
  const base = `http://${hostOf(spec)}:${port}`;
  const legNames = spec.legs.map((l) => l.name);
  const instance = { 'urn:x-nmos:tag:asset:instance-id/v1.0': [spec.serial] };
  const common = (id: string, label: string, tags: Record<string, string[]> = {}) => ({
    id,
    version: version(id),
    label,
    description: '',
    tags,
  });
  const media = 'urn:x-nmos:format:audio';
  const transport = 'urn:x-nmos:transport:rtp.mcast';
  const senders = Array.from({ length: spec.streamsSend }, (_, k) => k + 1);
  const receivers = Array.from({ length: spec.streamsReceive }, (_, k) => k + 1);
  const depth = spec.encoding === 'L16' ? 16 : 24;
  const resources: [ResourceType, Resource][] = [
    [
      'node',
      {
        ...common(ids.node, label, instance),
        href: `${base}/`,
        hostname: spec.id,
        caps: {},
        services: [],
        clocks: [clock],
        api: {
          versions: ['v1.3'],
          endpoints: spec.interfaces.map((i) => ({
            host: i.address,
            port: port,
            protocol: 'http',
          })),
        },
        interfaces: spec.interfaces.map((i, n) => ({
          name: i.name,
          chassis_id: mac(spec.serial, 0),
          port_id: mac(spec.serial, n),
          ...(i.attached
            ? { attached_network_device: { chassis_id: i.attached.chassisId, port_id: i.attached.portId } }
            : {}),
        })),
      },
    ],
    [
      'device',
      {
        ...common(ids.device, label, instance),
        type: 'urn:x-nmos:device:generic',
        node_id: ids.node,
        senders: senders.map(ids.sender),
        receivers: receivers.map(ids.receiver),
        controls: spec.interfaces.flatMap(({ address }) => [
          { type: 'urn:x-nmos:control:sr-ctrl/v1.1', href: `http://${address}:${port}/x-nmos/connection/v1.1/` },
          ...(hasChannelMap(spec)
            ? [
                {
                  type: 'urn:x-nmos:control:cm-ctrl/v1.0',
                  href: `http://${address}:${port}/x-nmos/channelmapping/v1.0/`,
                },
              ]
            : []),
          ...(hasEvents(spec)
            ? [{ type: 'urn:x-nmos:control:events/v1.0', href: `http://${address}:${port}/x-nmos/events/v1.0/` }]
            : []),
        ]),
      },
    ],
  ];
  for (const { label, eventType } of eventsOf(spec)) {
    const event = { device_id: ids.device, parents: [], format: 'urn:x-nmos:format:data', event_type: eventType };
    const [sourceId, flowId] = [ids.eventSource(label), ids.eventFlow(label)];
    resources.push(['source', { ...common(sourceId, label), ...event, caps: {}, clock_name: null }]);
    resources.push([
      'flow',
      { ...common(flowId, label), ...event, source_id: sourceId, media_type: 'application/json' },
    ]);
  }
  for (const n of senders) {
    const sourceId = ids.source(n);
    const flowId = ids.flow(n);
    const id = ids.sender(n);
    const active = activeOf(id);
    const width = Math.max(1, widthOf(n));
    resources.push([
      'source',
      {
        ...common(sourceId, `Stream ${n}`),
        caps: {},
        device_id: ids.device,
        parents: [],
        clock_name: 'clk0',
        format: media,
        channels: Array.from({ length: width }, (_, k) => ({ label: `Position ${k + 1}` })),
      },
    ]);
    resources.push([
      'flow',
      {
        ...common(flowId, `Stream ${n}`),
        source_id: sourceId,
        device_id: ids.device,
        parents: [],
        format: media,
        media_type: `audio/${spec.encoding}`,
        sample_rate: { numerator: rateHz, denominator: 1 },
        bit_depth: depth,
      },
    ]);
    resources.push([
      'sender',
      {
        ...common(id, `Stream ${n}`),
        flow_id: flowId,
        transport,
        device_id: ids.device,
        manifest_href: `${base}/x-nmos/connection/v1.1/single/senders/${id}/transportfile`,
        interface_bindings: legNames,
        caps: {},
        subscription: { receiver_id: active.master_enable ? active.peer : null, active: active.master_enable },
      },
    ]);
  }
  for (const n of receivers) {
    const id = ids.receiver(n);
    const active = activeOf(id);
    resources.push([
      'receiver',
      {
        ...common(id, `Stream ${n}`),
        device_id: ids.device,
        transport,
        format: media,
        interface_bindings: legNames,
        caps: {
          media_types: ['audio/L24', 'audio/L16'],
          version: version(id),
          constraint_sets: [
            {
              'urn:x-nmos:cap:format:media_type': { enum: ['audio/L24', 'audio/L16'] },
              'urn:x-nmos:cap:format:sample_rate': { enum: [{ numerator: rateHz }] },
              'urn:x-nmos:cap:format:channel_count': {
                minimum: 1,
                maximum: spec.receiveOrder?.[n - 1]?.channels ?? spec.channelsPerStream,
              },
            },
          ],
        },
        subscription: { sender_id: active.master_enable ? active.peer : null, active: active.master_enable },
      },
    ]);
  }
  return resources;
}
