import type { MapLimits } from '../core/models/models-table';
import { mapProblem } from '../core/streams/map-limits';
import { json, problem, route, type Response, type Route } from '../registry/http';
import { formatTai, msUntilTai, parseTai, taiNow } from '../core/units/tai';

/** IS-08 v1.0: which input channel feeds which output channel inside the device. */

export interface MapInput {
  readonly name: string;
  readonly description: string;
  /** The receiver whose stream arrives here; null for the device's own signals. */
  readonly parent: { readonly id: string | null; readonly type: 'receiver' | 'source' | null };
  readonly channels: readonly string[];
  /** How its channels may be routed; null: one by one, in any order. */
  readonly limits: MapLimits | null;
}

export interface MapOutput {
  readonly name: string;
  readonly description: string;
  /** The source that leaves here; null for the device's own outputs. */
  readonly sourceId: string | null;
  readonly channels: readonly string[];
  /** The inputs that may feed it, null among them where it may be fed by nothing. Null: any may, and nothing. */
  readonly routable: readonly (string | null)[] | null;
  /** What feeds it comes in blocks of so many, from one input and in step; not there: channel by channel. */
  readonly blockSize?: number;
}

export interface MapEntry {
  input: string | null;
  channel_index: number | null;
}
/** By output and channel index, as IS-08 writes it. */
export type ActiveMap = Record<string, Record<string, MapEntry>>;

interface MappingHost {
  /** By how much it is late with what was to be done at a moment; not there: not at all. */
  readonly lagMs?: () => number;
  inputs(): ReadonlyMap<string, MapInput>;
  outputs(): ReadonlyMap<string, MapOutput>;
  activeMap(): ActiveMap;
  activeSince(): {
    readonly mode: string | null;
    readonly requested_time: string | null;
    readonly activation_time: string | null;
  };
  /** Takes a map in that names only what changes. */
  mapped(action: ActiveMap, activation: ReturnType<MappingHost['activeSince']>): void;
}

const API = '/x-nmos/channelmapping/v1.0';

interface Pending {
  readonly activation: { mode: string; requested_time: string; activation_time: string };
  readonly action: ActiveMap;
  readonly timer: NodeJS.Timeout;
}

export class ChannelMappingApi {
  private readonly pending = new Map<string, Pending>();
  private nextId = 1;

  constructor(private readonly host: MappingHost) {}

  routes(): Route[] {
    const input = (id: string | undefined, answer: (i: MapInput) => unknown) =>
      this.one(this.host.inputs(), id, answer);
    const output = (id: string | undefined, answer: (o: MapOutput) => unknown) =>
      this.one(this.host.outputs(), id, answer);
    const channels = (names: readonly string[]) => names.map((label) => ({ label }));
    const inputCaps = ({ limits }: MapInput) => ({
      reordering: limits?.reordering ?? true,
      block_size: limits?.blockSize ?? 1,
    });
    const outputCaps = ({ routable }: MapOutput) => ({ routable_inputs: routable });
    const properties = ({ name, description }: MapInput | MapOutput) => ({ name, description });
    return [
      route('GET', '/x-nmos/channelmapping', () => json(['v1.0/'])),
      route('GET', API, () => json(['inputs/', 'outputs/', 'map/', 'io/'])),
      route('GET', `${API}/inputs`, () => json([...this.host.inputs().keys()].map((k) => `${k}/`))),
      route('GET', `${API}/outputs`, () => json([...this.host.outputs().keys()].map((k) => `${k}/`))),
      route('GET', `${API}/inputs/([^/]+)`, (r) =>
        input(r.params[0], () => ['properties/', 'parent/', 'channels/', 'caps/']),
      ),
      route('GET', `${API}/inputs/([^/]+)/properties`, (r) => input(r.params[0], properties)),
      route('GET', `${API}/inputs/([^/]+)/parent`, (r) => input(r.params[0], (i) => i.parent)),
      route('GET', `${API}/inputs/([^/]+)/channels`, (r) => input(r.params[0], (i) => channels(i.channels))),
      route('GET', `${API}/inputs/([^/]+)/caps`, (r) => input(r.params[0], inputCaps)),
      route('GET', `${API}/outputs/([^/]+)`, (r) =>
        output(r.params[0], () => ['properties/', 'sourceid/', 'channels/', 'caps/']),
      ),
      route('GET', `${API}/outputs/([^/]+)/properties`, (r) => output(r.params[0], properties)),
      route('GET', `${API}/outputs/([^/]+)/sourceid`, (r) => output(r.params[0], (o) => o.sourceId)),
      route('GET', `${API}/outputs/([^/]+)/channels`, (r) => output(r.params[0], (o) => channels(o.channels))),
      route('GET', `${API}/outputs/([^/]+)/caps`, (r) => output(r.params[0], outputCaps)),
      route('GET', `${API}/io`, () =>
        json({
          inputs: Object.fromEntries(
            [...this.host.inputs()].map(([id, i]) => [
              id,
              { parent: i.parent, channels: channels(i.channels), caps: inputCaps(i), properties: properties(i) },
            ]),
          ),
          outputs: Object.fromEntries(
            [...this.host.outputs()].map(([id, o]) => [
              id,
              { source_id: o.sourceId, channels: channels(o.channels), caps: outputCaps(o), properties: properties(o) },
            ]),
          ),
        }),
      ),
      route('GET', `${API}/map`, () => json(['activations/', 'active/'])),
      route('GET', `${API}/map/active`, () =>
        json({ activation: this.host.activeSince(), map: this.host.activeMap() }),
      ),
      route('GET', `${API}/map/active/([^/]+)`, (r) =>
        output(r.params[0], () => ({
          activation: this.host.activeSince(),
          map: { [r.params[0] as string]: this.host.activeMap()[r.params[0] as string] },
        })),
      ),
      route('GET', `${API}/map/activations`, () =>
        json(Object.fromEntries([...this.pending].map(([id, { activation, action }]) => [id, { activation, action }]))),
      ),
      route('GET', `${API}/map/activations/([^/]+)`, (r) => {
        const found = this.pending.get(r.params[0] as string);
        return found ? json({ activation: found.activation, action: found.action }) : problem(404, 'Not found');
      }),
      route('DELETE', `${API}/map/activations/([^/]+)`, (r) => {
        const found = this.pending.get(r.params[0] as string);
        if (found === undefined) return problem(404, 'Not found');
        clearTimeout(found.timer);
        this.pending.delete(r.params[0] as string);
        return { status: 204 };
      }),
      route('POST', `${API}/map/activations`, (r) => this.activate(r.body)),
    ];
  }

  stop(): void {
    for (const { timer } of this.pending.values()) clearTimeout(timer);
    this.pending.clear();
  }

  /** A change that is made at the device itself; false: it does not take it. */
  doNow(action: ActiveMap): boolean {
    if (this.wrongIn(action) !== null) return false;
    this.host.mapped(action, { mode: 'activate_immediate', requested_time: null, activation_time: taiNow() });
    return true;
  }

  private one<T>(all: ReadonlyMap<string, T>, id: string | undefined, answer: (found: T) => unknown): Response {
    const found = all.get(id as string);
    return found === undefined ? problem(404, 'Not found') : json(answer(found));
  }

  private activate(body: unknown): Response {
    if (typeof body !== 'object' || body === null || Array.isArray(body))
      return problem(400, 'the body is not an object');
    const strange = Object.keys(body).find((k) => k !== 'activation' && k !== 'action');
    if (strange !== undefined) return problem(400, `${strange} is not known`);
    const { activation, action } = body as { activation?: Record<string, unknown>; action?: ActiveMap };
    if (typeof activation !== 'object' || activation === null) return problem(400, 'activation is missing');
    if (typeof action !== 'object' || action === null || Array.isArray(action))
      return problem(400, 'action is missing');
    const wrong = this.wrongIn(action);
    if (wrong !== null) return problem(400, wrong);
    const mode = activation?.['mode'];
    const id = String(this.nextId);
    this.nextId += 1;
    if (mode === 'activate_immediate') {
      const done = { mode, requested_time: null, activation_time: taiNow() };
      this.host.mapped(action, done);
      return json({ [id]: { activation: done, action } });
    }
    const requested = parseTai(activation?.['requested_time']);
    if ((mode !== 'activate_scheduled_relative' && mode !== 'activate_scheduled_absolute') || requested === null) {
      return problem(400, 'activation.mode or activation.requested_time is not known');
    }
    const locked = [...this.pending.values()].some((p) => Object.keys(p.action).some((output) => output in action));
    if (locked) return problem(423, 'an activation of one of these outputs is pending');
    const at = mode === 'activate_scheduled_relative' ? (parseTai(taiNow()) as bigint) + requested : requested;
    const planned = { mode, requested_time: String(activation?.['requested_time']), activation_time: formatTai(at) };
    const timer = setTimeout(
      () => {
        this.pending.delete(id);
        this.host.mapped(action, { ...planned, activation_time: taiNow() });
      },
      Math.max(0, msUntilTai(at) + (this.host.lagMs?.() ?? 0)),
    );
    this.pending.set(id, { activation: planned, action, timer });
    return json({ [id]: { activation: planned, action } }, 202);
  }

  private wrongIn(action: ActiveMap): string | null {
    for (const [outputId, entries] of Object.entries(action)) {
      const output = this.host.outputs().get(outputId);
      if (output === undefined) return `action.${outputId} is not an output`;
      if (typeof entries !== 'object' || entries === null) return `action.${outputId} is not an object`;
      for (const [index, entry] of Object.entries(entries)) {
        if (!/^\d+$/.test(index) || Number(index) >= output.channels.length)
          return `action.${outputId}.${index} is not a channel`;
        if (entry?.input === undefined || entry.channel_index === undefined)
          return `action.${outputId}.${index} lacks input or channel_index`;
        if ((entry?.input === null) !== (entry?.channel_index === null))
          return `action.${outputId}.${index} is half empty`;
        if (output.routable?.includes(entry.input) === false) {
          return `action.${outputId}.${index}: ${entry.input ?? 'nothing'} may not feed it`;
        }
        if (entry?.input == null) continue;
        const input = this.host.inputs().get(entry.input);
        if (input === undefined) return `action.${outputId}.${index}.input is not an input`;
        if (!Number.isInteger(entry.channel_index) || (entry.channel_index as number) >= input.channels.length) {
          return `action.${outputId}.${index}.channel_index is not a channel`;
        }
      }
      const broken = mapProblem(this.after(outputId, entries), (id) => this.host.inputs().get(id)?.limits ?? null);
      const apart = this.brokenBlock(outputId, output, entries);
      if (apart !== null) return `action.${outputId}.${apart}: it is fed in whole blocks`;
      if (broken !== null) {
        const { output: index, input, broken: what } = broken;
        return `action.${outputId}.${index}: ${input} is routed ${what === 'block' ? 'in whole blocks' : 'in its order'}`;
      }
    }
    return null;
  }

  /** The first channel of a block that would not be fed as a whole; null: all are. */
  private brokenBlock(outputId: string, { blockSize = 1 }: MapOutput, entries: ActiveMap[string]): number | null {
    if (blockSize === 1) return null;
    const after = this.after(outputId, entries);
    for (const at of Object.keys(entries).map(Number)) {
      const start = at - (at % blockSize);
      const first = after.get(start);
      for (let n = 0; n < blockSize; n += 1) {
        const entry = after.get(start + n);
        const isInStep = entry?.input === first?.input && (entry?.index ?? 0) - (first?.index ?? 0) === (first ? n : 0);
        if (!isInStep || (first?.index ?? 0) % blockSize !== 0) return start + n;
      }
    }
    return null;
  }

  /** The map of an output once the action is done. */
  private after(outputId: string, entries: ActiveMap[string]): Map<number, { input: string; index: number }> {
    const after = new Map<number, { input: string; index: number }>();
    for (const [index, { input, channel_index: channel }] of Object.entries({
      ...this.host.activeMap()[outputId],
      ...entries,
    })) {
      if (input !== null && channel !== null) after.set(Number(index), { input, index: channel });
    }
    return after;
  }
}
