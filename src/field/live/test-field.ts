import type { FollowedPath } from '../../core/formats/is04';
import type { Plan } from '../../core/plan/plan';
import type { Reckoning } from '../../core/reckon/reckoning';
import { destinationText, fieldAddress, type AddressTranslation } from '../binding';
import type { ChannelMap } from '../../core/formats/is08';
import type { EndReading } from '../device-reader';
import type { UsedAdapter } from '../adapters';
import { FieldResources } from '../field-resources';
import type { FieldNews, FieldSnapshot } from '../field-snapshot';
import type { DeviceFailure } from '../http-json';

/** A field as a follower would know it, made of what is said of it in a test: no network is behind it. */
export class TestField {
  readonly readings = new Map<string, EndReading>();
  readonly channelMaps = new Map<string, ChannelMap>();
  readonly failures = new Map<string, DeviceFailure>();
  readonly answeredAt = new Map<string, number>();
  readonly notKnown = new Set<string>();
  readonly contestedIds = new Set<string>();
  /** One for each leg of the demo. */
  adapters: readonly UsedAdapter[] = [
    { name: 'red', address: '127.71.0.9', network: '127.71.0.0/16', isLoopback: false, isUsed: true },
    { name: 'blue', address: '127.72.0.9', network: '127.72.0.0/16', isLoopback: false, isUsed: true },
  ];
  isConnected = true;
  readonly events = new Map<string, { readonly value: number; readonly unit: string; readonly readAt: number }>();
  private readonly resources = new FieldResources();
  private news = new Set<string>();
  private version = 0;

  constructor(private readonly translation: AddressTranslation) {}

  snapshot(): FieldSnapshot {
    return {
      registryUrl: 'http://127.0.0.1:1',
      wasHeard: true,
      isConnected: this.isConnected,
      disconnectedBecause: this.isConnected ? null : 'it is gone',
      nodes: this.resources.nodes(),
      sourceOfSender: (id) => this.resources.sourceOfSender(id),
      channelsOfSender: (id) => this.resources.channelsOfSender(id),
      toldOf: new Map(),
      readings: this.readings,
      channelMaps: this.channelMaps,
      eventSourcesOf: (deviceId) => this.resources.eventSourcesOf(deviceId),
      events: this.events,
      failures: this.failures,
      answeredAt: this.answeredAt,
      notKnownEnds: new Set(),
      notKnown: this.notKnown,
      contestedIds: this.contestedIds,
      adapters: this.adapters,
      noticedWithinMs: 2700,
      notKnownAfterMs: 23_000,
    };
  }

  /** What changed since it was last asked. */
  takeNews(): FieldNews {
    const nodes = this.news;
    this.news = new Set();
    return { nodes };
  }

  put(path: FollowedPath, resource: { readonly id: string } & Record<string, unknown>): void {
    this.version += 1;
    this.concern(this.resources.put(path, resource.id, { version: `${this.version}:0`, ...resource }));
  }

  remove(path: FollowedPath, id: string): void {
    this.concern(this.resources.remove(path, id));
    this.readings.delete(id);
    this.channelMaps.delete(id);
    this.failures.delete(id);
  }

  private concern(nodeIds: readonly string[]): void {
    for (const id of nodeIds) this.news.add(id);
  }

  /** A device of the plan begins to answer, with two streams each way and its channels mapped to none. */
  plug(
    plan: Plan,
    deviceId: string,
    change: { serial?: string; gmid?: string; label?: string; at?: string } = {},
  ): void {
    const planned = plan.interfaces.get(deviceId)?.get('A')?.address ?? '10.0.0.250';
    const at = change.at ?? fieldAddress(planned, this.translation);
    const { serial = plan.devices.get(deviceId)?.serial ?? null, gmid, label = deviceId } = change;
    this.put('nodes', {
      id: `node-${deviceId}`,
      label,
      href: `http://${at}/`,
      tags: serial === null ? {} : { 'urn:x-nmos:tag:asset:instance-id/v1.0': [serial] },
      clocks: gmid === undefined ? [] : [{ name: 'clk0', ref_type: 'ptp', gmid, locked: true, traceable: false }],
    });
    this.put('devices', { id: `device-${deviceId}`, node_id: `node-${deviceId}`, label: deviceId });
    const numbers = [1, 2];
    for (const n of numbers) {
      const end = { device_id: `device-${deviceId}`, label: `Stream ${n}` };
      this.put('flows', { id: `${deviceId}-flow-${n}`, source_id: `${deviceId}-source-${n}` });
      this.put('senders', { ...end, id: `${deviceId}-sender-${n}`, flow_id: `${deviceId}-flow-${n}` });
      this.put('receivers', { ...end, id: `${deviceId}-receiver-${n}` });
    }
    this.channelMaps.set(`device-${deviceId}`, {
      inputs: [
        { id: 'own-in', name: null, receiverId: null, channels: 24, limits: null },
        { id: 'line', name: 'Line in', receiverId: null, channels: 8, limits: null },
        ...numbers.map((n) => ({
          id: `stream-in-${n}`,
          name: null,
          receiverId: `${deviceId}-receiver-${n}`,
          channels: 8,
          limits: null,
        })),
      ],
      outputs: [
        { id: 'own-out', name: null, sourceId: null, channels: 24, routable: null },
        { id: 'speaker', name: 'Loudspeaker', sourceId: null, channels: 8, routable: new Set([null, 'line']) },
        ...numbers.map((n) => ({
          id: `stream-out-${n}`,
          name: null,
          sourceId: `${deviceId}-source-${n}`,
          channels: 8,
          routable: new Set([null, 'own-in']),
        })),
      ],
      active: new Map(),
      readAt: 0,
    });
  }

  /** The node of a device has a second device, with a stream each way and a channel map of its own; or it has it no more. */
  setCard(deviceId: string, isThere: boolean): void {
    const card = `device-${deviceId}-card`;
    if (!isThere) {
      for (const kind of ['senders', 'receivers'] as const) this.remove(kind, `${card}-${kind}`);
      return this.remove('devices', card);
    }
    const controls = [{ type: 'urn:x-nmos:control:cm-ctrl/v1.0', href: 'http://127.0.0.9/' }];
    this.put('devices', { id: card, node_id: `node-${deviceId}`, label: 'Card 2', controls });
    const end = { device_id: card, label: 'Stream 1' };
    this.put('senders', { ...end, id: `${card}-senders`, flow_id: null });
    this.put('receivers', { ...end, id: `${card}-receivers` });
    this.channelMaps.set(card, {
      inputs: [
        { id: 'own-in', name: null, receiverId: null, channels: 4, limits: { blockSize: 2, reordering: true } },
        { id: 'stream-in-1', name: null, receiverId: `${card}-receivers`, channels: 8, limits: null },
      ],
      outputs: [{ id: 'own-out', name: null, sourceId: null, channels: 6, routable: null }],
      active: new Map(),
      readAt: 0,
    });
  }

  unplug(deviceId: string): void {
    this.remove('nodes', `node-${deviceId}`);
    for (const n of [1, 2]) {
      this.remove('senders', `${deviceId}-sender-${n}`);
      this.remove('receivers', `${deviceId}-receiver-${n}`);
      this.remove('flows', `${deviceId}-flow-${n}`);
    }
    this.remove('devices', `device-${deviceId}`);
  }

  /** A device reports its streams and its map as the plan wants them, of one side or of both. */
  obey({ plan, streamsBySender, groupsByStream, lanesByReceiver }: Reckoning, deviceId: string, at: number): void {
    const node = this.snapshot().nodes.get(`node-${deviceId}`);
    const map = this.channelMaps.get(`device-${deviceId}`);
    if (node === undefined || map === undefined) return;
    const active = new Map<string, Map<number, { input: string; index: number }>>();
    const feed = (output: string, index: number, input: string, from: number) =>
      active.set(output, new Map([...(active.get(output) ?? []), [index, { input, index: from }]]));
    const read = (endId: string, streamId: string) => {
      const legs = Object.values(groupsByStream.get(streamId) ?? {}).map((group: number | null) => ({
        ownIp: null,
        sourceIp: null,
        destinationIp: group === null ? null : destinationText(group, this.translation),
        port: plan.settings.rtpPort,
        isEnabled: group !== null,
      }));
      const state = { isEnabled: true, peerId: null, legs };
      this.readings.set(endId, { staged: state, active: state, readAt: at });
    };
    for (const { id, streamNumber, channels } of streamsBySender.get(deviceId) ?? []) {
      read(`${deviceId}-sender-${streamNumber}`, id);
      channels.forEach((channel, n) => feed(`stream-out-${streamNumber}`, n, 'own-in', channel - 1));
    }
    for (const [channel, lane] of lanesByReceiver.get(deviceId) ?? []) {
      if (lane.verdict === 'refused') continue;
      read(`${deviceId}-receiver-${lane.reception.receiverStreamNumber}`, lane.reception.stream.id);
      feed('own-out', channel - 1, `stream-in-${lane.reception.receiverStreamNumber}`, lane.position - 1);
    }
    this.channelMaps.set(`device-${deviceId}`, { ...map, active, readAt: at });
    this.concern([node.node.id]);
  }

  /** Somebody patches an amplifier at its front. */
  patch(deviceId: string, channel: number, from: number): void {
    const map = this.channelMaps.get(`device-${deviceId}`);
    if (map === undefined) return;
    const fed = new Map(map.active.get('speaker')).set(channel - 1, { input: 'line', index: from - 1 });
    this.channelMaps.set(`device-${deviceId}`, { ...map, active: new Map([...map.active, ['speaker', fed]]) });
    this.concern([`node-${deviceId}`]);
  }

  /** A device has a source of events, which tells a number. */
  tell(deviceId: string, label: string, value: number, readAt: number): void {
    const id = `${deviceId}-${label}`;
    this.events.set(id, { value, unit: '%', readAt });
    this.put('sources', { id, device_id: `device-${deviceId}`, label, event_type: 'number/battery' });
  }

  fail(deviceId: string): void {
    this.failures.set(`device-${deviceId}`, { kind: 'unreachable', detail: 'no answer' });
    this.concern([`node-${deviceId}`]);
  }
}
