import { bindDevices, planAddress, planAddressesIn, type Bindings } from '../field/binding';
import { ClockWatch, type ClockEvent, type FoundClock } from '../field/clock-watch';
import type { ChannelMap } from '../field/device-reader';
import { lanesInField } from '../field/lane-state';
import type { Plan } from '../core/plan/plan';
import { reckon } from '../core/reckon/reckon';
import type { Reckoning } from '../core/reckon/reckoning';
import type { FieldSnapshot, FieldNode } from '../field/follower';
import type { AnnouncedView, Author, ChangeMessage, DeviceFieldView, FieldMessage, UnknownNode } from './messages';
import { serverState } from './state';
import { SwitchWatch } from './switch-watch';

export type SendEvent = (event: 'hello' | 'change' | 'field' | 'people', data: unknown) => void;

interface Listener {
  readonly author: Author;
  readonly send: SendEvent;
}

/** A device's channels of a plan as fast as it is sensible to show them. */
const FIELD_INTERVAL_MS = 150;

/** One plan while anyone works on it: the plan in memory, its reckoning, and the browsers that look at it. */
export class PlanSession {
  private readonly listeners = new Set<Listener>();
  private reckoned: Reckoning | undefined;
  private shown = {
    devices: new Map<string, string>(),
    absent: new Map<string, string>(),
    unknown: '',
    registry: '',
    links: '{}',
    switches: '{}',
    announced: textOfAnnounced(NOTHING_ANNOUNCED),
    clockEvents: [] as readonly ClockEvent[],
  };
  private readonly clockWatch = new ClockWatch();
  private fieldTimer: NodeJS.Timeout | null = null;
  /** Asked only while someone looks. */
  private readonly switches: SwitchWatch | null;

  constructor(
    readonly id: string,
    public plan: Plan,
    public revision: number,
  ) {
    const { restconfPort, translation } = serverState();
    this.switches =
      restconfPort === null
        ? null
        : new SwitchWatch(
            () => this.plan,
            restconfPort,
            translation,
            () => this.fieldChanged(),
          );
  }

  reckoning(): Reckoning {
    this.reckoned = reckon(this.plan, this.reckoned);
    return this.reckoned;
  }

  bindings(field: FieldSnapshot): Bindings {
    return bindDevices(this.plan, field, serverState().translation);
  }

  /** Takes in a batch that is in the journal, and tells everyone. */
  advance(plan: Plan, message: ChangeMessage): void {
    this.plan = plan;
    this.revision = message.revision;
    this.tell('change', message);
    this.fieldChanged();
  }

  listen(author: Author, send: SendEvent): () => void {
    const listener = { author, send };
    this.listeners.add(listener);
    this.switches?.start();
    send('hello', { revision: this.revision });
    send('field', this.fieldMessage(true));
    this.tellPeople();
    return () => {
      this.listeners.delete(listener);
      if (this.listeners.size === 0) this.switches?.stop();
      this.tellPeople();
    };
  }

  /** Whether any browser looks at the plan. */
  get isWatched(): boolean {
    return this.listeners.size > 0;
  }

  fieldChanged(): void {
    if (this.fieldTimer !== null || this.listeners.size === 0) return;
    this.fieldTimer = setTimeout(() => {
      this.fieldTimer = null;
      if (this.listeners.size === 0) return;
      const message = this.fieldMessage(false);
      const isNews =
        message.registry !== null ||
        message.unknown !== null ||
        message.links !== null ||
        message.switches !== null ||
        message.clockEvents !== null ||
        message.announced !== null ||
        Object.keys(message.devices).length + Object.keys(message.absent).length > 0;
      if (isNews) this.tell('field', message);
    }, FIELD_INTERVAL_MS);
  }

  private noteClocks(bindings: Bindings): void {
    const found = new Map<string, FoundClock>();
    for (const [deviceId, { node }] of bindings.nodeByDevice) if (node.clock !== null) found.set(deviceId, node.clock);
    this.clockWatch.note(found, Date.now());
  }

  private clockOf(deviceId: string, clock: FoundClock | null): DeviceFieldView['clock'] {
    return clock === null ? null : { ...clock, since: this.clockWatch.since(deviceId) ?? Date.now() };
  }

  private tell(event: Parameters<SendEvent>[0], data: unknown): void {
    for (const listener of this.listeners) listener.send(event, data);
  }

  private tellPeople(): void {
    const people = [...new Map([...this.listeners].map((l) => [l.author.id, l.author])).values()];
    this.tell('people', { people });
  }

  /** What the field looks like from this plan. Not full: only what differs from what was last told. */
  private fieldMessage(isFull: boolean): FieldMessage {
    const { follower } = serverState();
    const links = Object.fromEntries(this.switches?.links() ?? []);
    const switches = Object.fromEntries(this.switches?.states() ?? []);
    const switchTexts = { links: JSON.stringify(links), switches: JSON.stringify(switches) };
    const switchNews = {
      links: isFull || switchTexts.links !== this.shown.links ? links : null,
      switches: isFull || switchTexts.switches !== this.shown.switches ? switches : null,
    };
    const announced = announcedView();
    const announcedText = textOfAnnounced(announced);
    const announcedNews = { announced: isFull || announcedText !== this.shown.announced ? announced : null };
    if (follower === null) {
      if (!isFull) this.shown = { ...this.shown, ...switchTexts, announced: announcedText };
      return {
        isFull,
        registry: null,
        devices: {},
        absent: {},
        unknown: isFull ? [] : null,
        clockEvents: isFull ? [] : null,
        ...announcedNews,
        ...switchNews,
      };
    }
    const field = follower.snapshot();
    const bindings = this.bindings(field);
    const reckoning = this.reckoning();
    const streams = serverState().announcements?.streams();
    this.noteClocks(bindings);
    const devices = new Map<string, DeviceFieldView>();
    const absent = new Map<string, DeviceFieldView['lanes']>();
    for (const deviceId of this.plan.devices.keys()) {
      const node = bindings.nodeByDevice.get(deviceId);
      if (node === undefined && !reckoning.lanesByReceiver.has(deviceId)) continue;
      const { lanes, fieldOnly } = lanesInField(deviceId, reckoning, field, bindings, streams);
      if (node === undefined) absent.set(deviceId, Object.fromEntries(lanes));
      else {
        devices.set(deviceId, {
          nodeId: node.node.id,
          nodeLabel: node.node.label,
          boundBy: bindings.boundBy.get(deviceId) ?? 'address',
          addresses: node.node.addresses.map((a) => planAddress(a, serverState().translation)),
          interfaces: node.node.interfaces,
          clock: this.clockOf(deviceId, node.node.clock),
          receiveMap: receiveMapOf(node.device === null ? undefined : field.channelMaps.get(node.device.id)),
          failure: (node.device && field.failures.get(node.device.id)) ?? null,
          lanes: Object.fromEntries(lanes),
          fieldOnly: Object.fromEntries(fieldOnly),
        });
      }
    }
    const unknown = bindings.unknown.map((n) => unknownNode(n, field)).sort((a, b) => (a.label < b.label ? -1 : 1));
    const registry = { url: field.registryUrl, isConnected: field.isConnected, because: field.disconnectedBecause };
    const before = this.shown;
    const now = {
      devices: textsOf(devices),
      absent: textsOf(absent),
      unknown: JSON.stringify(unknown),
      registry: JSON.stringify(registry),
      clockEvents: this.clockWatch.events(),
      announced: announcedText,
      ...switchTexts,
    };
    // A newcomer gets everything; what the others were told last stays the measure for what is news to them.
    if (!isFull) this.shown = now;
    if (isFull) {
      return {
        isFull,
        registry,
        devices: Object.fromEntries(devices),
        absent: Object.fromEntries(absent),
        unknown,
        clockEvents: now.clockEvents,
        ...announcedNews,
        ...switchNews,
      };
    }
    return {
      isFull,
      registry: now.registry === before.registry ? null : registry,
      devices: differing(devices, now.devices, before.devices),
      absent: differing(absent, now.absent, before.absent),
      unknown: now.unknown === before.unknown ? null : unknown,
      clockEvents: now.clockEvents === before.clockEvents ? null : now.clockEvents,
      ...announcedNews,
      ...switchNews,
    };
  }
}

const NOTHING_ANNOUNCED: AnnouncedView = { places: [], sessions: [] };

function announcedView(): AnnouncedView {
  const { announcements, translation } = serverState();
  if (announcements === null) return NOTHING_ANNOUNCED;
  const { places, sessions } = announcements.state();
  return {
    places,
    sessions: sessions.map(({ origin, payload, firstHeardAt, lastHeardAt }) => ({
      ...{ origin: planAddress(origin, translation), sdp: planAddressesIn(payload, translation) },
      ...{ firstHeardAt, lastHeardAt },
    })),
  };
}

/** Ages go out in steps: a session that is announced again is no news each time. */
const AGE_STEP_MS = 20_000;
function textOfAnnounced({ places, sessions }: AnnouncedView): string {
  const inSteps = sessions.map((s) => ({ ...s, lastHeardAt: Math.floor(s.lastHeardAt / AGE_STEP_MS) }));
  return JSON.stringify({ places, sessions: inSteps });
}

/** The limits of the inputs that streams arrive at; of several the narrowest. */
function receiveMapOf(map: ChannelMap | undefined): DeviceFieldView['receiveMap'] {
  const inputs = (map?.inputs ?? []).filter((i) => i.receiverId !== null);
  if (inputs.length === 0) return null;
  const blockSize = Math.max(...inputs.map((i) => i.limits?.blockSize ?? 1));
  const reordering = inputs.every((i) => i.limits?.reordering !== false);
  return { limits: blockSize === 1 && reordering ? null : { blockSize, reordering } };
}

function textsOf(map: ReadonlyMap<string, unknown>): Map<string, string> {
  return new Map([...map].map(([key, value]) => [key, JSON.stringify(value)]));
}

function differing<T>(
  values: ReadonlyMap<string, T>,
  now: ReadonlyMap<string, string>,
  before: ReadonlyMap<string, string>,
) {
  const result: Record<string, T | null> = {};
  for (const [key, text] of now) if (before.get(key) !== text) result[key] = values.get(key) as T;
  for (const key of before.keys()) if (!now.has(key)) result[key] = null;
  return result;
}

function unknownNode({ node, device, senders, receivers }: FieldNode, field: FieldSnapshot): UnknownNode {
  const map = device === null ? undefined : field.channelMaps.get(device.id);
  const sum = (items: readonly { channels: number }[] | undefined) =>
    (items ?? []).reduce((total, i) => total + i.channels, 0);
  return {
    nodeId: node.id,
    label: node.label,
    serial: node.serial,
    addresses: node.addresses.map((a) => planAddress(a, serverState().translation)),
    channelsReceive: sum(map?.outputs.filter((o) => o.sourceId === null)),
    channelsSend: sum(map?.inputs.filter((i) => i.receiverId === null)),
    streamsReceive: receivers.length,
    streamsSend: senders.length,
  };
}
