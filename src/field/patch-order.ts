import type { PatchDifference } from '../core/patch/patch-in-field';
import { NOBODY } from '../core/signal/device-part';
import { feedersOf, nodeOf, type SignalGraph } from '../core/signal/graph';
import { nearestFirst } from '../core/signal/walk';

/** A device and the channels that it is to feed otherwise. */
export interface Changing {
  readonly deviceId: string;
  readonly changes: readonly PatchDifference[];
}

type Change = PatchDifference & { readonly deviceId: string };

/**
 * How sound that devices change reaches one another, over the ways of now and of the plan together, and so in which order they go
 * over. Its law: whatever device has changed, and whatever has not yet, nobody receives what he receives neither before nor after.
 */
export class PatchOrder<C extends Changing> {
  /** By node of a changed channel: what feeds it now. */
  private readonly nowFeeding = new Map<number, number>();
  private readonly deviceOfChange = new Map<number, string>();
  private readonly before = new Map<number, Set<string>>();

  constructor(
    private readonly graph: SignalGraph,
    private readonly mapped: readonly C[],
  ) {
    for (const { deviceId, changes } of mapped) {
      for (const { terminalId, channel, found } of changes) {
        const node = nodeOf(graph, { deviceId, terminalId, channel });
        if (node === NOBODY) continue;
        this.deviceOfChange.set(node, deviceId);
        if (found !== null && 'terminalId' in found)
          this.nowFeeding.set(node, nodeOf(graph, { deviceId, terminalId: found.terminalId, channel: found.channel }));
      }
    }
  }

  /** The devices whose changes feed a node, over any way. */
  private changingBefore(start: number): Set<string> {
    const known = this.before.get(start);
    if (known !== undefined) return known;
    const devices = new Set<string>();
    // What a refused lane carried before may still be there.
    const feeding = ({ node }: { node: number }) =>
      [...feedersOf(this.graph, node), this.nowFeeding.get(node), this.graph.refused.get(node)].filter(
        (from) => from !== undefined && from !== NOBODY,
      ) as number[];
    for (const { node } of nearestFirst(start === NOBODY ? [] : [start], feeding)) {
      const device = this.deviceOfChange.get(node);
      if (device !== undefined) devices.add(device);
    }
    this.before.set(start, devices);
    return devices;
  }

  /** The devices whose changes reach what feeds a channel now, and through what is to feed it. */
  private feeding({ deviceId, planned, found }: Change): { readonly now: Set<string>; readonly then: Set<string> } {
    const through = (feed: PatchDifference['found']) =>
      feed === null || !('terminalId' in feed)
        ? new Set<string>()
        : this.changingBefore(nodeOf(this.graph, { deviceId, terminalId: feed.terminalId, channel: feed.channel }));
    return { now: through(found), then: through(planned) };
  }

  /** Whether a channel would receive what it receives neither now nor then, while the devices of its group change one after the other. */
  isWrongMeanwhile(change: Change, group: readonly C[], place: number): boolean {
    const { now, then } = this.feeding(change);
    return group.some(({ deviceId }, n) => (n < place && now.has(deviceId)) || (n > place && then.has(deviceId)));
  }

  /** Devices that receive one another's changes are one group; in it whoever feeds comes before whom it feeds, as far as that goes. */
  groups(): C[][] {
    const before = new Map<string, Set<string>>();
    for (const { deviceId, changes } of this.mapped) {
      const feeding = changes.map((c) => this.feeding({ ...c, deviceId }));
      before.set(deviceId, new Set(feeding.flatMap((f) => [...f.now, ...f.then]).filter((d) => d !== deviceId)));
    }
    const groupOf = new Map(this.mapped.map((m) => [m.deviceId, m.deviceId]));
    const rootOf = (id: string): string => {
      const up = groupOf.get(id) ?? id;
      return up === id ? id : rootOf(up);
    };
    for (const [id, feeders] of before) for (const f of feeders) groupOf.set(rootOf(f), rootOf(id));
    const groups = new Map<string, C[]>();
    for (const m of this.mapped) {
      const root = rootOf(m.deviceId);
      groups.set(root, [...(groups.get(root) ?? []), m]);
    }
    return [...groups.values()].map((group) => {
      const ordered: C[] = [];
      const begun = new Set<string>();
      const visit = (m: C) => {
        if (begun.has(m.deviceId)) return;
        begun.add(m.deviceId);
        for (const other of group) if (before.get(m.deviceId)?.has(other.deviceId) === true) visit(other);
        ordered.push(m);
      };
      for (const m of group) visit(m);
      return ordered;
    });
  }
}
