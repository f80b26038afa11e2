import type { PlanOf, ModelledDevices } from '../plan/plan';
import { linkCostNs, nsPerBitOf } from './link-cost';
import type { Link } from './links-table';
import { KnownPaths, ONE_CABLE, pathAlong, type Path } from './paths';
import { routesOf, type Routes } from './routes';
import { switchNetworkOf, type Bridge, type SwitchNetwork, type Trunk } from './trunks';

/**
 * Sockets, cables, switches and routers as one network. Within a VLAN packets run along its tree; between VLANs they run
 * to a router and on from there, even where both ends hang on the same switch.
 */
export interface Topology {
  readonly network: SwitchNetwork;
  readonly routes: Routes;
  /** In the order of ids. A directed link is `2 × index`, or `2 × index + 1` for packets that run from `to` to `from`. */
  readonly links: readonly Link[];
  readonly indexOfLink: ReadonlyMap<string, number>;
  /** Where a socket is plugged in, or null where the drawing has no cable on it. */
  portLinkOf(deviceId: string, port: string): PortLink | null;
  /** The way between two sockets in their subnets, or null where cables and routers do not join them. */
  wayBetween(from: End, to: End, kind?: 'unicast' | 'multicast'): Way | null;
  /** What such a way has between the cables of its two ends, without making the way: `ONE_CABLE` where that is the same cable, null where there is none. */
  joinBetween(from: End, to: End, kind: 'unicast' | 'multicast'): Path | null;
  /** The worst-case time by the way of such a join of a packet of so many octets on the wire. As `transitOf` the way. */
  transitOver(join: Path, from: End, to: End, wireBytes: number): number;
  /** Whether any cables carry traffic as one: only then does it matter which flow a stream is. */
  readonly isAnyJoined: boolean;
  /** The directed link that a flow takes on a step. */
  directedOf(step: number, flow: number): number;
  /** A switch as it stands in the VLAN of a subnet, as one number: what paths run between. */
  standOf(switchIndex: number, subnetId: string): number;
  /** The part of a way between two switches, as they stand in their subnets. */
  pathBetween(fromStand: number, toStand: number, kind: 'unicast' | 'multicast'): Path | null;
}

export interface PortLink {
  readonly link: Link;
  readonly linkIndex: number;
  /** Index of the switch at the other end of the cable, or -1 when that is no switch. */
  readonly switchIndex: number;
  /** Whether the socket is the link's `from`. */
  readonly isFrom: boolean;
}

export interface End {
  readonly at: PortLink;
  readonly subnetId: string;
  /** The switch that it is plugged into as it stands in the subnet; -1 where that is no switch. */
  readonly stand: number;
  /** The directed links of its cable: out of the device, and into it. */
  readonly leaves: number;
  readonly enters: number;
}

/** Where a socket meets the network; null where the drawing has no cable on it. */
export function endAt(
  { portLinkOf, standOf }: Pick<Topology, 'portLinkOf' | 'standOf'>,
  deviceId: string,
  port: string,
  subnetId: string,
): End | null {
  const at = portLinkOf(deviceId, port);
  if (at === null) return null;
  const stand = at.switchIndex < 0 ? -1 : standOf(at.switchIndex, subnetId);
  return { at, subnetId, stand, leaves: outOf(at), enters: into(at) };
}

/** What a way costs any packet, in two figures, and the way itself when asked for. */
export interface Way {
  /** Forwarding in switches, cable, and one largest lower-class frame waited for at each egress. */
  readonly fixedNs: number;
  /** Nanoseconds per bit of the packet, summed over the links (store and forward). */
  readonly nsPerBit: number;
  /** Routers crossed: each takes one from the time to live. */
  readonly routers: number;
  /** The way of one flow: joined cables share by flow. */
  hops(flow?: number): Hops;
}

export interface Hops {
  readonly links: readonly Link[];
  /** Directed links, in the order of travel. */
  readonly directed: readonly number[];
  /** The switches between the links: one fewer than links. */
  readonly switchIds: readonly string[];
  /** Which of the switches pass the packet on as routers. */
  readonly isRouted: readonly boolean[];
}

/** The cable of a trunk that a flow uses: always one and the same. */
function memberFor(trunk: Trunk, flow: number): Link {
  return trunk.links[trunk.links.length === 1 ? 0 : flow % trunk.links.length] as Link;
}

export function topologyOf(
  plan: ModelledDevices & PlanOf<'settings' | 'subnets' | 'links' | 'switches' | 'interfaces'>,
): Topology {
  const network = switchNetworkOf(plan);
  const routes = routesOf(plan);
  const links = [...plan.links.values()].sort((a, b) => (a.id < b.id ? -1 : 1));
  const indexOfLink = new Map(links.map((l, i) => [l.id, i]));
  const portLinks = portLinksOf(links, network);

  const subnetIds = ['', ...[...plan.subnets.keys()].sort()];
  const numberOfSubnet = new Map(subnetIds.map((id, n) => [id, n]));
  const subnetCount = subnetIds.length;
  const standCount = Math.max(1, network.bridges.length) * subnetCount;
  const standOf = (switchIndex: number, subnetId: string) =>
    switchIndex * subnetCount + (numberOfSubnet.get(subnetId) ?? 0);
  // Of all switches in all subnets few are the end of a path: those have a place each in rows of paths.
  const placeOfStand = new Int32Array(standCount).fill(-1);
  let places = 0;
  const placeOf = (stand: number): number => {
    if ((placeOfStand[stand] as number) < 0) {
      placeOfStand[stand] = places;
      places += 1;
    }
    return placeOfStand[stand] as number;
  };
  const pathsByKind = { unicast: new KnownPaths(), multicast: new KnownPaths() } as const;
  const pathBetween: Topology['pathBetween'] = (from, to, kind) => {
    const paths = pathsByKind[kind];
    const first = placeOf(from);
    const last = placeOf(to);
    const known = paths.get(first, last);
    if (known !== undefined) return known;
    const subnetOf = (stand: number) => subnetIds[stand % subnetCount] as string;
    const switchOf = (stand: number) => Math.floor(stand / subnetCount);
    const route = routes.between(kind, subnetOf(from), subnetOf(to));
    const path =
      route === null ? null : pathAlong(network, numberOfSubnet, switchOf(from), subnetOf(from), route, switchOf(to));
    paths.set(first, last, path);
    return path;
  };

  /** By step: its directed link where the trunk is one cable, -1 where flows share several. */
  const directedOfStep = new Int32Array(2 * network.trunks.length).fill(-1);
  let isAnyJoined = false;
  for (const trunk of network.trunks) {
    if (trunk.links.length > 1) isAnyJoined = true;
    else
      for (const step of [2 * trunk.index, 2 * trunk.index + 1])
        directedOfStep[step] = directedStep(network, indexOfLink, step, memberFor(trunk, 0));
  }
  const directedOf = (step: number, flow: number): number => {
    const known = directedOfStep[step] as number;
    return known >= 0
      ? known
      : directedStep(network, indexOfLink, step, memberFor(network.trunks[step >> 1] as Trunk, flow));
  };
  const ground: Ground = {
    network,
    directedOf,
    fixedNs: Float64Array.from(links, linkCostNs),
    nsPerBit: Float64Array.from(links, nsPerBitOf),
  };

  return {
    network,
    routes,
    links,
    indexOfLink,
    isAnyJoined,
    directedOf,
    standOf,
    pathBetween,
    portLinkOf: (deviceId, port) => portLinks.get(deviceId)?.get(port) ?? null,
    joinBetween(from, to, kind) {
      if (cableOf(from) === cableOf(to)) return ONE_CABLE;
      return from.stand < 0 || to.stand < 0 ? null : pathBetween(from.stand, to.stand, kind);
    },
    transitOver(join, from, to, wireBytes) {
      const first = cableOf(from);
      const last = cableOf(to);
      const { fixedNs, nsPerBit } = ground;
      const firstNs = fixedNs[first] as number;
      const firstNsPerBit = nsPerBit[first] as number;
      if (join === ONE_CABLE) return firstNs + firstNsPerBit * wireBytes * 8;
      const allNsPerBit = firstNsPerBit + join.nsPerBit + (nsPerBit[last] as number);
      return firstNs + (fixedNs[last] as number) + join.fixedNs + allNsPerBit * wireBytes * 8;
    },
    wayBetween(from, to, kind = 'multicast') {
      const a = from.at;
      const b = to.at;
      if (a.link === b.link) return new WayOverCable(a, ground);
      if (a.switchIndex < 0 || b.switchIndex < 0) return null;
      const path = pathBetween(from.stand, to.stand, kind);
      return path === null ? null : new WayOverSwitches(a, b, path, ground);
    },
  };
}

/** Out of a device, and into it. */
const outOf = (at: PortLink) => 2 * at.linkIndex + (at.isFrom ? 0 : 1);
const into = (at: PortLink) => 2 * at.linkIndex + (at.isFrom ? 1 : 0);
/** The index of the cable that an end is on. */
const cableOf = ({ leaves }: End) => leaves >> 1;

// A plan has tens of thousands of ways: they are made when asked for, and so are their figures.

/** From one device to another that is plugged straight into it. */
class WayOverCable implements Way {
  constructor(
    private readonly from: PortLink,
    private readonly ground: Ground,
  ) {}

  get fixedNs(): number {
    return this.ground.fixedNs[this.from.linkIndex] as number;
  }

  get nsPerBit(): number {
    return this.ground.nsPerBit[this.from.linkIndex] as number;
  }

  get routers(): number {
    return 0;
  }

  hops(): Hops {
    return { links: [this.from.link], directed: [outOf(this.from)], switchIds: [], isRouted: [] };
  }
}

/** What ways of one topology share. */
interface Ground {
  readonly network: SwitchNetwork;
  readonly directedOf: (step: number, flow: number) => number;
  /** By link: what it costs any packet, and each bit of one. */
  readonly fixedNs: Float64Array;
  readonly nsPerBit: Float64Array;
}

class WayOverSwitches implements Way {
  constructor(
    private readonly from: PortLink,
    private readonly to: PortLink,
    private readonly path: Path,
    private readonly ground: Ground,
  ) {}

  get fixedNs(): number {
    const { fixedNs } = this.ground;
    return (fixedNs[this.from.linkIndex] as number) + (fixedNs[this.to.linkIndex] as number) + this.path.fixedNs;
  }

  get nsPerBit(): number {
    const { nsPerBit } = this.ground;
    return (nsPerBit[this.from.linkIndex] as number) + this.path.nsPerBit + (nsPerBit[this.to.linkIndex] as number);
  }

  get routers(): number {
    return this.path.routedAt.length;
  }

  hops(flow = 0): Hops {
    const { path, from, to } = this;
    const { network, directedOf } = this.ground;
    const between = path.steps.map((step) => memberFor(network.trunks[step >> 1] as Trunk, flow));
    return {
      links: [from.link, ...between, to.link],
      directed: [outOf(from), ...path.steps.map((step) => directedOf(step, flow)), into(to)],
      switchIds: path.switches.map((s) => (network.bridges[s] as Bridge).deviceId),
      isRouted: path.switches.map((_, n) => path.routedAt.includes(n)),
    };
  }
}

/** The directed link of a step over one cable of its trunk: members may be drawn the other way round. */
function directedStep(
  network: SwitchNetwork,
  indexOfLink: ReadonlyMap<string, number>,
  step: number,
  member: Link,
): number {
  const trunk = network.trunks[step >> 1] as Trunk;
  const leaves = (step & 1) === 0 ? trunk.a : trunk.b;
  const isFromTo = network.indexOfSwitch.get(member.from.deviceId) === leaves;
  return 2 * (indexOfLink.get(member.id) as number) + (isFromTo ? 0 : 1);
}

function portLinksOf(links: readonly Link[], network: SwitchNetwork): Map<string, Map<string, PortLink>> {
  const portLinks = new Map<string, Map<string, PortLink>>();
  const attach = (deviceId: string, port: string, portLink: PortLink) => {
    let ports = portLinks.get(deviceId);
    if (ports === undefined) portLinks.set(deviceId, (ports = new Map()));
    if (!ports.has(port)) ports.set(port, portLink);
  };
  links.forEach((link, linkIndex) => {
    const from = network.indexOfSwitch.get(link.from.deviceId) ?? -1;
    const to = network.indexOfSwitch.get(link.to.deviceId) ?? -1;
    if (from < 0) attach(link.from.deviceId, link.from.port, { link, linkIndex, switchIndex: to, isFrom: true });
    if (to < 0) attach(link.to.deviceId, link.to.port, { link, linkIndex, switchIndex: from, isFrom: false });
  });
  return portLinks;
}
