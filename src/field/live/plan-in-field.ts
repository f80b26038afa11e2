import type { Plan } from '../../core/plan/plan';
import type { PlanRef } from '../../core/plan/plan-ref';
import type { Reckoning } from '../../core/reckon/reckoning';
import { NOTHING_ANNOUNCED, type AnnouncedStreams, type AnnouncementState } from '../announcements';
import { atOnce, type InSteps } from '../../core/plan/in-steps';
import { sameValue } from '../../core/plan/same-value';
import { bindDevices, boundNow, type AddressTranslation, type Contest } from '../binding';
import type { FieldNode } from '../field-resources';
import type { FieldNews, FieldSnapshot } from '../field-snapshot';
import { lanesInField, type DeviceLanes } from '../lane-state';
import type { SwitchReading } from '../switch-reader';
import type { Happening } from './happenings';
import { LiveBoard } from './live-board';
import { placeKey } from './network-topics';
import { figureOf, SUBJECTS, type AnyTopic, type LiveFacts, type Subject } from './topic';
import { TOPIC_NAMES, TOPICS } from './topics';
import { announcementKey } from '../../core/formats/sap';

/** Where the live figures of a plan come from. Each is asked when figures are read, and not before. */
export interface LiveSources {
  readonly reckoning: () => Reckoning;
  /** Null: no registry is set up. */
  readonly field: () => FieldSnapshot | null;
  readonly translation: AddressTranslation | null;
  /** By the id of the IS-04 device: the other plan that runs it. Another map as soon as any of it changes; missing: there is no other plan. */
  readonly runElsewhere?: () => ReadonlyMap<string, PlanRef>;
  /** Null: announcements are not listened for. */
  readonly announcements: () => (AnnouncementState & { readonly streams: AnnouncedStreams }) | null;
  readonly switchReadings: () => ReadonlyMap<string, SwitchReading>;
}

/** So many figures are read in a step. */
const READ_AT_ONCE = 200;

const NO_RUNS: ReadonlyMap<string, PlanRef> = new Map();

type Lanes = Reckoning['lanesByReceiver'] extends ReadonlyMap<string, infer L> ? L : never;

/**
 * A plan held against the field. It gets what changed, on either side, and reads again just the figures that this can
 * change: a burst of news costs what changed, not the whole plan. Its law: what the board holds is what a first reading of everything
 * would give.
 */
export class PlanInField {
  private readonly dirty: Record<Subject, Set<string>> = {
    field: new Set(),
    device: new Set(),
    receiver: new Set(),
    node: new Set(),
    link: new Set(),
    switch: new Set(),
    'announcement-place': new Set(),
    session: new Set(),
  };
  private reckoning: Reckoning | null = null;
  private field: FieldSnapshot | null = null;
  private streams: AnnouncedStreams = NOTHING_ANNOUNCED;
  private readingsBefore: ReadonlyMap<string, SwitchReading> = new Map();
  private runsBefore: ReadonlyMap<string, PlanRef> = NO_RUNS;
  private newsOfNodes = new Set<string>();
  private nodeByDevice = new Map<string, FieldNode>();
  private boundBy: ReadonlyMap<string, 'hand' | 'serial' | 'address'> = new Map();
  private contested: ReadonlyMap<string, Contest> = new Map();
  private devicesByNode = new Map<string, readonly string[]>();
  private partsByNode = new Map<string, readonly (string | null)[]>();
  private readonly marks = new Map<string, string>();
  /** By sender: who receives a stream of it. */
  private readonly receiversBySender = new Map<string, Set<string>>();
  private readonly heardBy = new Map<string, { readonly lanes: Lanes; readonly senders: readonly string[] }>();

  constructor(
    private readonly sources: LiveSources,
    readonly board: LiveBoard = new LiveBoard(),
  ) {}

  /** Takes in news of the field; `update` then reads what it can change. */
  noteField({ nodes }: FieldNews): void {
    for (const id of nodes) this.newsOfNodes.add(id);
  }

  /** Reads again what may have changed since the last time. Returns what happened. */
  update(at: number): readonly Happening[] {
    return atOnce(this.updateInSteps(at));
  }

  /** What is noted meanwhile counts the next time. */
  *updateInSteps(at: number): InSteps<readonly Happening[]> {
    const before = this.reckoning;
    this.reckoning = this.sources.reckoning();
    const registry = this.sources.field();
    const isFirstLook = this.field === null && registry?.wasHeard === true;
    this.field = registry?.wasHeard === true ? registry : null;
    this.dirty.field.add('');
    this.markLanes(before, this.reckoning);
    this.markNodes(isFirstLook, before?.plan ?? null);
    this.markRemoved(before?.plan ?? null, this.reckoning.plan);
    this.markPlan(before?.plan ?? null, this.reckoning.plan);
    const announcements = this.markAnnouncements(before?.plan ?? null);
    const switchReadings = this.sources.switchReadings();
    this.markSwitches(switchReadings);
    const runElsewhere = this.markRuns();
    return yield* this.read(
      this.reckoning.plan,
      {
        translation: this.sources.translation,
        registry,
        field: this.field,
        bindings: {
          nodeByDevice: this.nodeByDevice,
          boundBy: this.boundBy,
          contested: this.contested,
          translation: this.sources.translation,
        },
        partsByNode: this.partsByNode,
        runElsewhere,
        isReceiver: (deviceId) => this.heardBy.has(deviceId),
        lanesOf: this.lanesReader(),
        announcements,
        switchReadings,
      },
      at,
    );
  }

  private *read(plan: Plan, facts: LiveFacts, at: number): InSteps<readonly Happening[]> {
    const happened: Happening[] = [];
    for (const name of TOPIC_NAMES) {
      const topic = TOPICS[name] as unknown as AnyTopic;
      const keys = this.dirty[topic.per];
      if (keys.size === 0) continue;
      const isFirstLook = this.board.isUnread(name);
      const read = new Map<string, unknown>();
      for (const key of keys) {
        if (read.size % READ_AT_ONCE === 0) yield;
        const value = figureOf(topic, key, facts, plan, { last: this.board.valueOf(name, key), isFirstLook });
        read.set(key, value === undefined && !isThere(topic.per, key, plan) ? null : value);
      }
      happened.push(...this.board.take(name, read, at));
    }
    for (const subject of SUBJECTS) this.dirty[subject].clear();
    return happened;
  }

  private lanesReader(): LiveFacts['lanesOf'] {
    const { reckoning, field, streams } = this;
    const known = new Map<string, DeviceLanes>();
    const bindings = { nodeByDevice: this.nodeByDevice, translation: this.sources.translation };
    return (deviceId) => {
      if (reckoning === null || field === null) return null;
      let found = known.get(deviceId);
      if (found === undefined) {
        known.set(deviceId, (found = lanesInField(deviceId, reckoning, field, bindings, streams)));
      }
      return found;
    };
  }

  /** Receivers whose lanes, or the groups of whose streams, are others than before. */
  private markLanes(before: Reckoning | null, now: Reckoning): void {
    if (before === now) return;
    for (const [receiverId, lanes] of now.lanesByReceiver) {
      if (this.heardBy.get(receiverId)?.lanes === lanes) continue;
      this.forgetReceiver(receiverId);
      const senders = new Set<string>();
      for (const lane of lanes.values()) if (lane.reception !== null) senders.add(lane.reception.stream.senderDeviceId);
      this.heardBy.set(receiverId, { lanes, senders: [...senders] });
      for (const sender of senders) {
        const known = this.receiversBySender.get(sender);
        if (known === undefined) this.receiversBySender.set(sender, new Set([receiverId]));
        else known.add(receiverId);
      }
      this.dirty.receiver.add(receiverId);
    }
    for (const receiverId of [...this.heardBy.keys()]) {
      if (now.lanesByReceiver.has(receiverId)) continue;
      this.forgetReceiver(receiverId);
      this.dirty.receiver.add(receiverId);
    }
    if (before === null) return;
    if (before.groupsByStream !== now.groupsByStream) {
      for (const [sender, streams] of now.streamsBySender) {
        const isSame = (id: string) => {
          const [a, b] = [before.groupsByStream.get(id), now.groupsByStream.get(id)];
          return a === b || (a?.A === b?.A && a?.B === b?.B);
        };
        if (!streams.every((s) => isSame(s.id))) this.markReceiversOf(sender);
      }
    }
  }

  private markRemoved(before: Plan | null, now: Plan): void {
    if (before === null || before.devices === now.devices) return;
    for (const id of before.devices.keys()) {
      if (now.devices.has(id)) continue;
      for (const subject of ['device', 'receiver', 'switch'] as const) this.dirty[subject].add(id);
    }
  }

  /** What a figure reads of the plan and is something else now, as the figures declare it. */
  private markPlan(before: Plan | null, now: Plan): void {
    for (const name of TOPIC_NAMES) {
      const { per, ofPlan } = TOPICS[name] as unknown as AnyTopic;
      if (ofPlan === undefined || (before !== null && ofPlan.tables.every((t) => before[t] === now[t]))) continue;
      for (const key of [...this.board.keys(name), ...this.keysOf(per, now)]) {
        if (before === null || ofPlan.take(before, key) !== ofPlan.take(now, key)) this.dirty[per].add(key);
      }
    }
  }

  /** Of what there may be figures of these that nobody has read yet. */
  private keysOf(per: Subject, plan: Plan): Iterable<string> {
    if (per === 'device') return this.nodeByDevice.keys();
    return per === 'link' ? plan.links.keys() : [];
  }

  private forgetReceiver(receiverId: string): void {
    for (const sender of this.heardBy.get(receiverId)?.senders ?? []) {
      const known = this.receiversBySender.get(sender);
      known?.delete(receiverId);
      if (known?.size === 0) this.receiversBySender.delete(sender);
    }
    this.heardBy.delete(receiverId);
  }

  private markReceivers(): void {
    for (const receiverId of this.heardBy.keys()) this.dirty.receiver.add(receiverId);
  }

  private markReceiversOf(senderId: string): void {
    for (const receiverId of this.receiversBySender.get(senderId) ?? []) this.dirty.receiver.add(receiverId);
  }

  private markDevice(deviceId: string): void {
    this.dirty.device.add(deviceId);
    this.dirty.receiver.add(deviceId);
    this.markReceiversOf(deviceId);
  }

  /** Nodes of which there is news, the devices that are bound to them, and who receives these. */
  private markNodes(isFirstLook: boolean, planBefore: Plan | null): void {
    const { field } = this;
    const plan = this.reckoning!.plan;
    if (field === null) return;
    const news = isFirstLook ? new Set(field.nodes.keys()) : this.newsOfNodes;
    this.newsOfNodes = new Set();
    if (isFirstLook) this.markReceivers();
    let isOtherwiseBound = isFirstLook || planBefore === null || isToBeBoundAgain(plan, planBefore);
    for (const id of news) {
      const found = field.nodes.get(id);
      const mark =
        found === undefined
          ? undefined
          : JSON.stringify([
              ...[found.node.serial, found.node.addresses, field.contestedIds.has(id)],
              found.devices.map((d) => d.id),
            ]);
      if (this.marks.get(id) !== mark) isOtherwiseBound = true;
      if (mark === undefined) this.marks.delete(id);
      else this.marks.set(id, mark);
      this.dirty.node.add(id);
      // A device that several nodes claim to be tells of them by their names.
      for (const [deviceId, { nodeIds }] of this.contested) if (nodeIds.includes(id)) this.markDevice(deviceId);
      for (const deviceId of this.devicesByNode.get(id) ?? []) {
        this.markDevice(deviceId);
        const bound = found && boundNow(plan, deviceId, found);
        if (bound !== undefined) this.nodeByDevice.set(deviceId, bound);
      }
    }
    if (isOtherwiseBound) this.bind(plan, field);
  }

  private bind(plan: Plan, field: FieldSnapshot): void {
    const { nodeByDevice, boundBy, contested } = bindDevices(plan, field, this.sources.translation);
    for (const deviceId of new Set([...this.nodeByDevice.keys(), ...nodeByDevice.keys()])) {
      const [was, is] = [this.nodeByDevice.get(deviceId), nodeByDevice.get(deviceId)];
      if (was === is && this.boundBy.get(deviceId) === boundBy.get(deviceId)) continue;
      this.markDevice(deviceId);
      for (const found of [was, is]) if (found !== undefined) this.dirty.node.add(found.node.id);
    }
    for (const deviceId of new Set([...this.contested.keys(), ...contested.keys()])) {
      if (!sameValue(this.contested.get(deviceId), contested.get(deviceId))) this.markDevice(deviceId);
    }
    this.contested = contested;
    this.nodeByDevice = new Map(nodeByDevice);
    this.boundBy = boundBy;
    const devicesByNode = new Map<string, string[]>();
    for (const [deviceId, { node }] of nodeByDevice) {
      devicesByNode.set(node.id, [...(devicesByNode.get(node.id) ?? []), deviceId]);
    }
    this.devicesByNode = devicesByNode;
    const partOf = (deviceId: string) => plan.devices.get(deviceId)?.nodeDeviceId ?? null;
    const partsByNode = new Map([...devicesByNode].map(([nodeId, ids]) => [nodeId, ids.map(partOf)]));
    for (const nodeId of new Set([...this.partsByNode.keys(), ...partsByNode.keys()])) {
      if (!sameValue(this.partsByNode.get(nodeId), partsByNode.get(nodeId))) this.dirty.node.add(nodeId);
    }
    this.partsByNode = partsByNode;
  }

  /** Devices that another plan has begun to run, or runs no more. */
  private markRuns(): ReadonlyMap<string, PlanRef> {
    const runs = this.sources.runElsewhere?.() ?? NO_RUNS;
    if (runs !== this.runsBefore) {
      for (const [deviceId, { device }] of this.nodeByDevice) {
        const id = device?.id ?? '';
        if (!sameValue(runs.get(id), this.runsBefore.get(id))) this.dirty.device.add(deviceId);
      }
    }
    this.runsBefore = runs;
    return runs;
  }

  private markAnnouncements(planBefore: Plan | null): LiveFacts['announcements'] {
    const heard = this.sources.announcements();
    const streams = heard?.streams ?? NOTHING_ANNOUNCED;
    const { plan } = this.reckoning!;
    // A held stream of a sender that no registry knows is there while it is announced from its address.
    const isOther = streams !== this.streams || (streams.size > 0 && plan.interfaces !== planBefore?.interfaces);
    this.streams = streams;
    if (isOther)
      for (const id of this.receiversBySender.keys()) if (!this.nodeByDevice.has(id)) this.markReceiversOf(id);
    if (heard === null) return null;
    for (const place of heard.places) this.dirty['announcement-place'].add(placeKey(place));
    const sessions = new Map(heard.sessions.map((s) => [announcementKey(s), s]));
    for (const key of this.board.keys('sessions')) this.dirty.session.add(key);
    for (const key of sessions.keys()) this.dirty.session.add(key);
    return { places: heard.places, sessions };
  }

  private markSwitches(readings: ReadonlyMap<string, SwitchReading>): void {
    if (readings === this.readingsBefore) return;
    for (const id of [...this.readingsBefore.keys(), ...readings.keys()]) this.dirty.switch.add(id);
    this.readingsBefore = readings;
    for (const id of this.board.keys('links')) this.dirty.link.add(id);
    for (const id of this.reckoning!.plan.links.keys()) this.dirty.link.add(id);
  }
}

/** Whether there still is what a figure is of. */
function isThere(subject: Subject, key: string, plan: Plan): boolean {
  switch (subject) {
    case 'device':
    case 'receiver':
    case 'switch':
      return plan.devices.has(key);
    case 'link':
      return plan.links.has(key);
    case 'field':
    case 'announcement-place':
      return true;
    case 'node':
    case 'session':
      return false;
  }
}

/** Whether anything that devices are bound by is other than before. */
function isToBeBoundAgain(plan: Plan, before: Plan): boolean {
  if (plan.interfaces !== before.interfaces || plan.streamEnds !== before.streamEnds) return true;
  if (plan.devices === before.devices) return false;
  if (plan.devices.size !== before.devices.size) return true;
  for (const [id, device] of plan.devices) {
    const was = before.devices.get(id);
    if (
      was !== device &&
      (was?.serial !== device.serial || was.nodeId !== device.nodeId || was.nodeDeviceId !== device.nodeDeviceId)
    )
      return true;
  }
  return false;
}
