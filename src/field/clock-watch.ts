import type { FoundClock } from '../core/formats/is04';

export type { FoundClock };

/** Something that happened to the clocks of the field, with its time. */
export type ClockEvent = { readonly at: number; readonly deviceIds: readonly string[] } & (
  | { readonly what: 'grandmaster-changed'; readonly from: string | null; readonly to: string | null }
  | { readonly what: 'second-grandmaster'; readonly gmids: readonly string[] }
  | { readonly what: 'one-grandmaster'; readonly gmid: string }
  | { readonly what: 'lock-lost' }
);

const KEPT_MAX = 50;
/** Like changes of several devices within so long are one event. */
const TOGETHER_MS = 3000;

/** Tells from one look at the field to the next what happened to its clocks. */
export class ClockWatch {
  private known: ReadonlyMap<string, FoundClock> | null = null;
  private list: readonly ClockEvent[] = [];
  private readonly sinceByDevice = new Map<string, number>();

  /** The newest first. The same list for as long as nothing happened. */
  events(): readonly ClockEvent[] {
    return this.list;
  }

  /** When a device's clock last reported something else. */
  since(deviceId: string): number | null {
    return this.sinceByDevice.get(deviceId) ?? null;
  }

  /** Takes in the clocks of all devices that are there. The first look is where it begins, and no event. */
  note(found: ReadonlyMap<string, FoundClock>, at: number): void {
    const before = this.known;
    this.known = found;
    for (const [id, clock] of found) {
      const was = before?.get(id);
      if (was === undefined || !isSame(was, clock)) this.sinceByDevice.set(id, at);
    }
    for (const id of this.sinceByDevice.keys()) if (!found.has(id)) this.sinceByDevice.delete(id);
    if (before === null) return;
    for (const [id, clock] of found) {
      const was = before.get(id);
      if (was === undefined) continue;
      if (was.gmid !== clock.gmid) {
        this.add({ what: 'grandmaster-changed', from: was.gmid, to: clock.gmid, at, deviceIds: [id] });
      } else if (was.locked && !clock.locked) this.add({ what: 'lock-lost', at, deviceIds: [id] });
    }
    const masters = grandmasters(found);
    const had = grandmasters(before);
    if (masters.size > 1 && [...masters.keys()].some((gmid) => !had.has(gmid) || had.size === 1)) {
      const gmids = [...masters].sort((a, b) => b[1].length - a[1].length).map(([gmid]) => gmid);
      const deviceIds = gmids.slice(1).flatMap((gmid) => masters.get(gmid) ?? []);
      this.list = [{ what: 'second-grandmaster' as const, gmids, at, deviceIds }, ...this.list].slice(0, KEPT_MAX);
    } else if (masters.size === 1 && had.size > 1) {
      const [[gmid, deviceIds]] = [...masters] as [[string, string[]]];
      this.list = [{ what: 'one-grandmaster' as const, gmid, at, deviceIds }, ...this.list].slice(0, KEPT_MAX);
    }
  }

  private add(event: ClockEvent): void {
    const like = this.list.findIndex((e) => event.at - e.at <= TOGETHER_MS && isLike(e, event));
    const known = this.list[like];
    if (known === undefined) this.list = [event, ...this.list].slice(0, KEPT_MAX);
    else {
      const deviceIds = [...new Set([...known.deviceIds, ...event.deviceIds])];
      this.list = this.list.map((e, n) => (n === like ? { ...e, deviceIds } : e));
    }
  }
}

function isSame(a: FoundClock, b: FoundClock): boolean {
  return a.gmid === b.gmid && a.locked === b.locked && a.traceable === b.traceable;
}

function isLike(a: ClockEvent, b: ClockEvent): boolean {
  if (a.what === 'grandmaster-changed' && b.what === 'grandmaster-changed') return a.from === b.from && a.to === b.to;
  return a.what === 'lock-lost' && b.what === 'lock-lost';
}

function grandmasters(found: ReadonlyMap<string, FoundClock>): Map<string, string[]> {
  const ids = new Map<string, string[]>();
  for (const [id, { gmid }] of found) if (gmid !== null) ids.set(gmid, [...(ids.get(gmid) ?? []), id]);
  return ids;
}
