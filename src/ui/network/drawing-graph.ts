import { isIn } from '@/core/findings/areas';
import { modelOf, type Plan } from '@/core/plan/plan';
import type { Link } from '@/core/network/links-table';
import type { Place } from '@/core/plan/places-table';
import { shareOf } from '@/core/network/loads';
import type { View } from '@/ui/session/plan-store';
import { wrongBy, type Wrong } from '@/ui/parts/wrong';

/** How much of a place the drawing shows: one box, a card with its switches, or every device and cable. */
export type Fold = 'closed' | 'switches' | 'open';

/** One line of a place's card: a switch, or all its other devices together. */
export interface CardRow {
  readonly id: string;
  readonly kind: 'switch' | 'rest';
  readonly title: string;
  readonly deviceIds: readonly string[];
  readonly wrong: Wrong;
  /** Cables of a switch that stay within the card, the busiest first. */
  readonly innerLinkIds: readonly string[];
  readonly innerShare: number;
}

export interface DrawingNode {
  readonly id: string;
  readonly kind: 'place' | 'closed' | 'card' | 'switch' | 'device';
  readonly title: string;
  readonly detail: string;
  /** The place's box that it stands in. */
  readonly parent: string | null;
  readonly placeId: string | null;
  readonly deviceIds: readonly string[];
  readonly wrong: Wrong;
  readonly rows: readonly CardRow[];
  readonly width: number;
  readonly height: number;
}

/** All cables between two boxes (or lines of cards) of the drawing. */
export interface DrawingEdge {
  readonly id: string;
  readonly source: string;
  readonly target: string;
  /** Where they begin and end within a card; null: at the box itself. */
  readonly sourceRow: string | null;
  readonly targetRow: string | null;
  /** The busiest first. */
  readonly linkIds: readonly string[];
  readonly share: number;
  readonly isIdle: boolean;
  readonly isWireless: boolean;
  readonly bitsPerSecond: number;
}

export interface DrawingGraph {
  readonly nodes: readonly DrawingNode[];
  readonly edges: readonly DrawingEdge[];
}

export const CARD_HEAD = 24;
export const CARD_ROW = 20;
const CARD_WIDTH = 188;

const NO_PLACE = '';
const OPEN_MAX = 24;
const SWITCHES_MAX = 90;

/** Small plans are drawn whole, larger ones by their switches, the largest by their outermost places. */
export function usualFolds(plan: Plan): ReadonlyMap<string, Fold> {
  const ids = [...plan.places.keys(), NO_PLACE];
  const switches = [...plan.devices.values()].filter((d) => plan.models.get(d.modelId)?.switching).length;
  const usual: Fold =
    plan.devices.size <= OPEN_MAX ? 'open' : switches + ids.length <= SWITCHES_MAX ? 'switches' : 'closed';
  return new Map(ids.map((id) => [id, usual]));
}

/** From the outermost place to the place itself. */
function pathOf(plan: Plan, placeId: string | null): Place[] {
  const path: Place[] = [];
  for (let at = placeId; at !== null;) {
    const place = plan.places.get(at);
    if (place === undefined) break;
    path.unshift(place);
    at = place.parentId;
  }
  return path;
}

interface Spot {
  readonly node: string;
  readonly row: string | null;
}
type Counts = { refusals: number; cautions: number };

/** What the drawing shows of a plan. Pure; the layout is worked out elsewhere. */
export function drawingGraph(plan: Plan, view: View, folds: ReadonlyMap<string, Fold>): DrawingGraph {
  const wrong = wrongBy(view.findings, (f) => (isIn('network', f) ? f.deviceIds : []));
  const nodes = new Map<
    string,
    Omit<DrawingNode, 'deviceIds' | 'rows'> & { deviceIds: string[]; rows: Map<string, string[]> }
  >();
  const spots = new Map<string, Spot>();
  const wrongOf = (deviceIds: readonly string[]): Wrong => {
    const sum: Counts = { refusals: 0, cautions: 0 };
    for (const id of deviceIds) {
      sum.refusals += wrong.get(id)?.refusals ?? 0;
      sum.cautions += wrong.get(id)?.cautions ?? 0;
    }
    return sum;
  };
  const nodeFor = (
    id: string,
    kind: DrawingNode['kind'],
    title: string,
    placeId: string,
    size: readonly [number, number],
    parent: string | null = null,
  ) => {
    let node = nodes.get(id);
    if (node === undefined) {
      const [width, height] = size;
      const own = { id, kind, title, detail: '', parent, placeId, wrong: wrongOf([]), width, height };
      nodes.set(id, (node = { ...own, deviceIds: [], rows: new Map() }));
    }
    return node;
  };
  for (const device of plan.devices.values()) {
    // A unit of a slot bus into which nothing of the network can be plugged.
    const model = plan.models.get(device.modelId);
    if (model?.slots && model.ports.length === 0) continue;
    const path = pathOf(plan, device.placeId);
    const placeId = path[path.length - 1]?.id ?? NO_PLACE;
    const closed = path.find((p) => folds.get(p.id) === 'closed');
    const isSwitch = model?.switching != null;
    const title = path.map((p) => p.name).join(' / ') || 'No place';
    let node;
    let row: string | null = null;
    if (closed || (path.length === 0 && folds.get(NO_PLACE) === 'closed')) {
      node = nodeFor(
        `place:${closed?.id ?? NO_PLACE}`,
        'closed',
        closed?.name ?? 'No place',
        closed?.id ?? NO_PLACE,
        [160, 44],
      );
    } else if (folds.get(placeId) === 'open') {
      const parent = `place:${placeId}`;
      nodeFor(parent, 'place', title, placeId, [0, 0]);
      const size = isSwitch ? ([146, 42] as const) : ([146, 26] as const);
      node = nodeFor(`device:${device.id}`, isSwitch ? 'switch' : 'device', device.name, placeId, size, parent);
    } else {
      node = nodeFor(`place:${placeId}`, 'card', title, placeId, [CARD_WIDTH, 0]);
      row = isSwitch ? `device:${device.id}` : `rest:${placeId}`;
      node.rows.set(row, [...(node.rows.get(row) ?? []), device.id]);
    }
    node.deviceIds.push(device.id);
    spots.set(device.id, { node: node.id, row });
  }
  const { edges, inner } = edgesOf(plan, view, spots);
  const finished = [...nodes.values()].map((node): DrawingNode => {
    const rows = [...node.rows]
      .map(([id, deviceIds]): CardRow => {
        const isSwitch = id.startsWith('device:');
        const only = plan.devices.get(deviceIds[0] ?? '')?.name ?? '';
        const within = inner.get(id) ?? [];
        return {
          id,
          kind: isSwitch ? 'switch' : 'rest',
          title: isSwitch || deviceIds.length === 1 ? only : `${deviceIds.length} devices`,
          deviceIds,
          wrong: wrongOf(deviceIds),
          innerLinkIds: within.map((l) => l.id),
          innerShare: within[0]?.share ?? 0,
        };
      })
      .sort((a, b) => (a.kind === b.kind ? collator.compare(a.title, b.title) : a.kind === 'switch' ? -1 : 1));
    const first = plan.devices.get(node.deviceIds[0] ?? '');
    const detail =
      node.kind === 'closed'
        ? `${node.deviceIds.length} devices`
        : node.kind === 'switch'
          ? (plan.models.get(first?.modelId ?? '')?.name ?? '')
          : '';
    const height = node.kind === 'card' ? CARD_HEAD + rows.length * CARD_ROW + 5 : node.height;
    return { ...node, rows, detail, height, wrong: wrongOf(node.deviceIds) };
  });
  return { nodes: finished, edges };
}

const collator = new Intl.Collator('en', { numeric: true });

/** Cables are drawn from routers to other switches to what hangs on them, so that the whole reads in one direction. */
function outwards(plan: Plan, link: Link, from: Spot, to: Spot): readonly [Spot, Spot] {
  const rank = (deviceId: string) => {
    const switching = modelOf(plan, deviceId)?.switching;
    return !switching ? 2 : switching.routing === 'none' ? 1 : 0;
  };
  const difference = rank(link.from.deviceId) - rank(link.to.deviceId);
  return difference < 0 || (difference === 0 && from.node < to.node) ? [from, to] : [to, from];
}

function edgesOf(plan: Plan, view: View, spots: ReadonlyMap<string, Spot>) {
  const { network } = view;
  const indexOf = new Map(network.linkIds.map((id, n) => [id, n]));
  const edges = new Map<string, { links: { id: string; share: number }[]; edge: DrawingEdge }>();
  /** By line of a card: the cables that do not leave the card. */
  const inner = new Map<string, { id: string; share: number }[]>();
  for (const link of plan.links.values()) {
    const a = spots.get(link.from.deviceId);
    const b = spots.get(link.to.deviceId);
    if (a === undefined || b === undefined) continue;
    const n = indexOf.get(link.id);
    const usable = n === undefined ? 0 : (network.usableBitsPerSecond[n] ?? 0);
    const carried = n === undefined ? 0 : (network.streams[2 * n] ?? 0) + (network.streams[2 * n + 1] ?? 0);
    const bits =
      n === undefined ? 0 : Math.max(network.bitsPerSecond[2 * n] ?? 0, network.bitsPerSecond[2 * n + 1] ?? 0);
    const own = { id: link.id, share: carried === 0 ? 0 : shareOf(bits, usable) };
    if (a.node === b.node) {
      for (const { row } of [a, b]) {
        if (row?.startsWith('device:')) inner.set(row, [...(inner.get(row) ?? []), own]);
      }
      continue;
    }
    const [source, target] = outwards(plan, link, a, b);
    const nameOf = (s: Spot) => `${s.node} ${s.row ?? ''}`;
    const back = `${nameOf(target)} > ${nameOf(source)}`;
    const id = edges.has(back) ? back : `${nameOf(source)} > ${nameOf(target)}`;
    const isIdle = network.idleLinkIds.has(link.id);
    const isWireless = link.cable === 'wireless';
    const known = edges.get(id);
    if (known === undefined) {
      const edge = {
        id,
        source: source.node,
        target: target.node,
        sourceRow: source.row,
        targetRow: target.row,
        linkIds: [],
        share: own.share,
        isIdle,
        isWireless,
        bitsPerSecond: link.bitsPerSecond,
      };
      edges.set(id, { links: [own], edge });
    } else {
      known.links.push(own);
      known.edge = {
        ...known.edge,
        share: Math.max(known.edge.share, own.share),
        isIdle: known.edge.isIdle && isIdle,
        isWireless: known.edge.isWireless || isWireless,
        bitsPerSecond: Math.max(known.edge.bitsPerSecond, link.bitsPerSecond),
      };
    }
  }
  const byShare = (x: { id: string; share: number }, y: { id: string; share: number }) =>
    y.share - x.share || (x.id < y.id ? -1 : 1);
  for (const links of inner.values()) links.sort(byShare);
  return {
    inner,
    edges: [...edges.values()].map(({ links, edge }): DrawingEdge => ({
      ...edge,
      linkIds: links.sort(byShare).map((l) => l.id),
    })),
  };
}

/** What of a graph its layout depends on: loads and findings may change without anything moving. */
export function layoutKey(graph: DrawingGraph): string {
  return JSON.stringify([
    graph.nodes.map((n) => [n.id, n.parent, n.width, n.height, n.rows.map((r) => r.id)]),
    graph.edges.map((e) => [e.id, e.linkIds.length > 1]),
  ]);
}
