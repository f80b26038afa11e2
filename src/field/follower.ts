import type { ConnectionKind, EndReading } from './device-reader';
import { CarryingEnds } from './carrying-ends';
import { ContestedIds } from './contested-ids';
import { DeviceReadings } from './device-readings';
import { DeviceAnswers } from './device-answers';
import { DeviceRequests } from './device-requests';
import { isSilence } from './device-rest';
import type { DeviceFailure } from './http-json';
import type { Raw } from '../core/formats/raw';
import { ReachableHosts } from './reachable-hosts';
import { RegistryClient } from './registry-client';
import type { FieldSource, MakeSource, SourceEvents } from './sources';
import type { FollowedPath } from '../core/formats/is04';
import { Pulse, reachByTcp } from './pulse';
import { FieldResources } from './field-resources';
import type { FieldNews, FieldSnapshot } from './field-snapshot';
import { steadyNow } from './steady-clock';

/** Each device is asked for one of its senders or receivers this often, one after the other: silence is no sign that it goes on. */
const ASK_EVERY_MS = 10_000;

/** Devices that are asked in a second; where there are more of them each is asked less often. */
const ASKED_PER_SECOND = 200;

const ASK_TICK_MS = 250;

/** What a device does is not known any more when it has not answered for so many turns. */
const TURNS_UNTIL_NOT_KNOWN = 2;

/** How long an answer is waited for. */
const ANSWER_MS = 3_000;

/**
 * Keeps a picture of the field: which nodes are there, what their senders and receivers do, how their channels are mapped.
 * Knows open interfaces only. `onNews` gets what changed, at most once per turn of the event loop.
 */
export class FieldFollower {
  private readonly registered: FieldResources;
  private readonly readings: DeviceReadings;
  private readonly carrying: CarryingEnds;
  private readonly contested: ContestedIds;
  private readonly client: FieldSource;
  private readonly answers = new DeviceAnswers(
    () => TURNS_UNTIL_NOT_KNOWN * this.askEveryMs,
    (deviceId) => this.announceDevice(deviceId),
  );
  private readonly requests = new DeviceRequests({
    answers: this.answers,
    // Who is there comes first: devices are read when the registry has been.
    mayAsk: () => this.wasHeard,
    ended: (deviceId) => this.announceDevice(deviceId),
    again: (deviceId) => {
      if (this.registered.device(deviceId) === undefined) return;
      const failure = this.requests.failures.get(deviceId);
      if (failure !== undefined && isSilence(failure) && this.registered.tryElsewhere(deviceId)) this.outdatePulse();
      this.readDeviceAgain(deviceId);
    },
  });
  /** By device: when it is asked next, and for which of its senders and receivers. */
  private readonly turns = new Map<string, { dueAt: number; next: number }>();
  private asking: NodeJS.Timeout | null = null;
  private readonly pulse = new Pulse(
    (nodeId, isSilent) => this.felt(nodeId, isSilent),
    reachByTcp,
    (nodeId) => {
      for (const deviceId of this.registered.devicesOf(nodeId)) {
        this.registered.tryElsewhere(deviceId);
        this.outdatePulse();
      }
    },
  );
  private isPulseOutdated = false;
  private wasHeard = false;
  private isConnected = false;
  private disconnectedBecause: string | null = 'not connected yet';
  /** What was reported by itself since the last full read of its kind: a page that was put together before may be older. */
  private readonly toldSinceRead = new Map<FollowedPath, Set<string>>();
  /** By node: who reported it last, and when. */
  private readonly toldOf = new Map<string, { readonly from: string; readonly at: number }>();
  /** The nodes of which news has still to be reported; null: none is on its way. */
  private untold: Set<string> | null = null;

  constructor(
    /** What it is called where it is shown: the address of the registry, or what is read in its place. */
    private readonly name: string | (() => string),
    private readonly onNews: (news: FieldNews) => void,
    /** Which hosts are talked to; missing: those on the networks of this computer. */
    private readonly hosts: ReachableHosts = new ReachableHosts({
      networks: null,
      names: [],
      registryUrl: typeof name === 'string' ? name : null,
      own: null,
    }),
    private readonly askAtLeastEveryMs = ASK_EVERY_MS,
    /** Where resources come from; missing: the registry. */
    source: MakeSource = (events, allows) => new RegistryClient(this.shownName(), events, allows),
  ) {
    this.registered = new FieldResources((href) => hosts.allows(href));
    this.readings = new DeviceReadings(this.registered, this.requests, () => this.notKnownAfterMs);
    this.carrying = new CarryingEnds(
      () => this.readings.carrying(),
      (end) => this.readings.askForEnd(...end),
      () => this.askEveryMs,
    );
    this.contested = new ContestedIds(this.registered, hosts, (nodeId) => this.announce([nodeId]));
    const events: SourceEvents = {
      page: (path, resources, from) => {
        for (const { id } of path === 'nodes' ? resources : []) this.toldOf.set(String(id), { from, at: steadyNow() });
        this.page(path, resources);
      },
      full: (path, ids) => this.full(path, ids),
      changed: (path, id, post, from) => {
        if (path === 'nodes' && post !== null) this.toldOf.set(id, { from, at: steadyNow() });
        this.told(path, id, post);
      },
      connected: () => {
        this.isConnected = true;
        this.wasHeard = true;
        this.answers.wakeAll();
        this.disconnectedBecause = null;
        this.announce();
        // Whatever kept it away may have kept devices away too.
        for (const deviceId of this.answers.silent()) this.readDeviceAgain(deviceId);
        this.requests.nextOfAll();
      },
      disconnected: (reason) => {
        this.isConnected = false;
        this.disconnectedBecause = reason;
        this.toldSinceRead.clear();
        this.announce();
      },
    };
    this.client = source(events, (url) => hosts.allows(url));
  }

  /** How often each device is asked, with as many as there are now. In ms. */
  get askEveryMs(): number {
    return Math.max(this.askAtLeastEveryMs, Math.ceil((this.turns.size / ASKED_PER_SECOND) * 1000));
  }

  private get notKnownAfterMs(): number {
    return TURNS_UNTIL_NOT_KNOWN * this.carrying.everyMs + ANSWER_MS;
  }

  /** Says which addresses a plan or a person names, as they are where the devices are: these are talked to. */
  setNamedHosts(by: string, addresses: ReadonlySet<string>): void {
    if (this.hosts.setNamed(by, addresses)) this.allowAgain();
  }

  /** Says by which adapters of this computer devices are talked to; null: by all. */
  useAdapters(names: readonly string[] | null): void {
    this.hosts.choose(names);
    this.allowAgain();
  }

  private shownName(): string {
    return typeof this.name === 'string' ? this.name : this.name();
  }

  /** Where requests may go has changed. */
  private allowAgain(): void {
    const changed = this.registered.allowAgain();
    if (changed.length === 0) return;
    this.outdatePulse();
    for (const deviceId of changed) {
      this.announceDevice(deviceId);
      this.readDeviceAgain(deviceId);
    }
  }

  /** Until when a device that did not answer is left in peace, in ms since 1970; null: it may be asked. */
  restsUntil(deviceId: string): number | null {
    return this.answers.restsUntil(deviceId);
  }

  /** Takes in how a request to a device ended; null: it answered. */
  noteAnswer(deviceId: string, failure: DeviceFailure | null): void {
    this.answers.note(deviceId, failure);
  }

  start(): void {
    this.client.start();
    this.pulse.start();
    this.asking ??= setInterval(() => this.tick(steadyNow()), ASK_TICK_MS).unref();
  }

  stop(): void {
    this.client.stop();
    this.pulse.stop();
    if (this.asking !== null) clearInterval(this.asking);
    this.asking = null;
    this.requests.stop();
    this.contested.stop();
  }

  /** Reads the registry and every device again. Resolves when the registry was read; devices follow. */
  async readAgain(): Promise<void> {
    await this.client.readAll();
    for (const deviceId of this.registered.deviceIds()) {
      this.answers.wake(deviceId);
      this.readDeviceAgain(deviceId);
    }
  }

  /** A device that is left in peace may be asked at once. */
  wake(deviceId: string): void {
    this.answers.wake(deviceId);
  }

  /** Everything the registry holds now, by kind. */
  resources(): Promise<Record<string, readonly Record<string, unknown>[]>> {
    return this.client.resources();
  }

  readDeviceAgain(deviceId: string): void {
    this.readings.askForAll(deviceId);
  }

  snapshot(): FieldSnapshot {
    return {
      registryUrl: this.shownName(),
      wasHeard: this.wasHeard,
      isConnected: this.isConnected,
      disconnectedBecause: this.disconnectedBecause,
      nodes: this.registered.nodes(),
      sourceOfSender: (senderId) => this.registered.sourceOfSender(senderId),
      channelsOfSender: (senderId) => this.registered.channelsOfSender(senderId),
      readings: this.readings.ends,
      channelMaps: this.readings.channelMaps,
      eventSourcesOf: (deviceId) => this.registered.eventSourcesOf(deviceId),
      events: this.readings.events,
      failures: this.requests.failures,
      answeredAt: this.answers.answeredAt,
      toldOf: this.toldOf,
      notKnown: this.answers.notKnown,
      contestedIds: this.registered.contestedIds,
      adapters: this.hosts.adapters(),
      noticedWithinMs: this.pulse.noticedWithinMs,
      notKnownEnds: this.readings.notKnown,
      notKnownAfterMs: this.notKnownAfterMs,
    };
  }

  /** Takes in what a device answered to a request of ours, without asking it again. */
  noteReading(kind: ConnectionKind, endId: string, reading: EndReading): void {
    this.readings.ends.set(endId, reading);
    this.announceDevice(this.registered.end(kind, endId)?.deviceId);
  }

  /** Takes in part of a full read. What is known in that version stays as it is, and so does what was reported since the last full read. */
  private page(path: FollowedPath, resources: readonly Raw[]): void {
    for (const resource of resources) {
      const id = String(resource['id']);
      const isNewer = this.toldSinceRead.get(path)?.has(id) === true;
      if (!isNewer && !this.registered.isKnown(path, id, resource['version'])) this.changed(path, id, resource);
    }
    this.announce();
  }

  private full(path: FollowedPath, ids: ReadonlySet<string>): void {
    const told = this.toldSinceRead.get(path);
    for (const id of this.registered.ids(path))
      if (!ids.has(id) && told?.has(id) !== true) this.changed(path, id, null);
    this.toldSinceRead.delete(path);
    this.announce();
  }

  /** A change as the registry sends it, in the middle of a full read or not. */
  private told(path: FollowedPath, id: string, post: Raw | null): void {
    const told = this.toldSinceRead.get(path);
    if (told === undefined) this.toldSinceRead.set(path, new Set([id]));
    else told.add(id);
    this.changed(path, id, post);
  }

  private changed(path: FollowedPath, id: string, post: Record<string, unknown> | null): void {
    const kept = this.registered;
    if (post === null) {
      this.announce(kept.remove(path, id));
      if (path === 'nodes') this.toldOf.delete(id);
      if (path === 'nodes') this.pulse.forget(id);
      if (path === 'nodes' || path === 'devices') this.outdatePulse();
      if (path === 'senders' || path === 'receivers') this.readings.forgetEnd(id);
      if (path === 'sources') this.readings.events.delete(id);
      if (path === 'devices') {
        this.readings.channelMaps.delete(id);
        this.requests.failures.delete(id);
        this.answers.forget(id);
        this.turns.delete(id);
      }
      return;
    }
    if (path === 'devices') {
      const before = kept.device(id);
      this.announce(kept.put(path, id, post));
      if (before?.connectionHref !== kept.device(id)?.connectionHref) this.outdatePulse();
      if (!this.turns.has(id)) this.turns.set(id, { dueAt: steadyNow() + Math.random() * this.askEveryMs, next: 0 });
      if (before?.version !== kept.device(id)?.version || !this.readings.channelMaps.has(id))
        this.readings.askForMap(id);
      // Ends that were reported before their device could not be asked yet.
      if (before === undefined) this.readings.askForEnds(id);
    } else if (path === 'senders' || path === 'receivers') {
      const before = kept.end(path, id);
      this.announce(kept.put(path, id, post));
      if (before?.version !== kept.end(path, id)?.version || !this.readings.ends.has(id))
        this.readings.askForEnd(path, id);
    } else {
      const before = path === 'nodes' ? kept.node(id) : undefined;
      if (path === 'nodes' && before === undefined) this.outdatePulse();
      this.announce(kept.put(path, id, post));
      const source = path === 'sources' ? kept.source(id) : undefined;
      if (source?.eventType != null && !this.readings.events.has(id)) this.readings.askForEvents(source.deviceId);
      // A node that moved leaves its old address: where it still answers there, two nodes have one id.
      if (before !== undefined && before.href !== kept.node(id)?.href) void this.contested.askWhoIsAt(id, before.href);
    }
  }

  /** A node stopped answering, or answers again: then it is read again, as it may have been switched off meanwhile. */
  private felt(nodeId: string, isSilent: boolean): void {
    this.registered.setSilent(nodeId, isSilent);
    if (!isSilent) {
      for (const deviceId of this.registered.devicesOf(nodeId)) {
        this.answers.wake(deviceId);
        this.readDeviceAgain(deviceId);
      }
    }
    this.announce([nodeId]);
  }

  /** Who is tried follows from who is registered; many that come at once are gone through once. */
  private outdatePulse(): void {
    if (this.isPulseOutdated) return;
    this.isPulseOutdated = true;
    setImmediate(() => {
      this.isPulseOutdated = false;
      this.pulse.follow(this.registered.places());
    });
  }

  private tick(now: number): void {
    this.askInTurn(now);
    if (this.wasHeard) this.carrying.tick(now);
  }

  /** Asks every device whose turn it is for one of its senders or receivers. */
  private askInTurn(now: number): void {
    this.answers.noteTime(now);
    let left = Math.ceil((ASKED_PER_SECOND * ASK_TICK_MS) / 1000);
    for (const [deviceId, turn] of this.turns) {
      if (turn.dueAt > now) continue;
      if ((left -= 1) < 0) return;
      turn.dueAt = now + this.askEveryMs;
      this.readings.askForEvents(deviceId);
      const ends = this.readings.endsOf(deviceId);
      const end = ends[turn.next % Math.max(ends.length, 1)];
      // Once around, the channel map has its turn.
      if (end === undefined) this.readings.askForMap(deviceId);
      else this.readings.askForEnd(...end);
      turn.next = (turn.next + 1) % (ends.length + 1);
      if (turn.next === 0) this.readings.askForMap(deviceId);
    }
  }

  private announceDevice(deviceId: string | undefined): void {
    const nodeId = deviceId === undefined ? null : this.registered.nodeOfDevice(deviceId);
    this.announce(nodeId === null ? [] : [nodeId]);
  }

  private announce(nodeIds: Iterable<string> = []): void {
    if (this.untold === null) {
      const nodes = new Set<string>();
      this.untold = nodes;
      setImmediate(() => {
        this.untold = null;
        this.onNews({ nodes });
      });
    }
    for (const id of nodeIds) this.untold.add(id);
  }
}
