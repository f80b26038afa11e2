import type { Plan } from '@/core/plan/plan';
import type { Place } from '@/core/plan/records';
import { shareOf } from '@/core/network/loads';
import type { View } from '@/ui/session/plan-store';
import { wrongBy, type Wrong } from './network-rows';

/** How much of a place the drawing shows: one box, its switches with all other devices as one, or every device. */
export type Fold = 'closed' | 'switches' | 'open';

export interface DrawingNode {
  readonly id: string;
  readonly kind: 'place' | 'closed' | 'switch' | 'device' | 'bundle';
  readonly title: string;
  readonly detail: string;
  /** The place's box that it stands in. */
  readonly parent: string | null;
  readonly placeId: string | null;
  readonly deviceIds: readonly string[];
  readonly wrong: Wrong;
  readonly width: number;
  readonly height: number;
}

/** All cables between two boxes of the drawing. */
export interface DrawingEdge {
  readonly id: string;
  readonly source: string;
  readonly target: string;
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

export const NO_PLACE = '';
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

/** What the drawing shows of a plan. Pure; the layout is worked out elsewhere. */
export function drawingGraph(plan: Plan, view: View, folds: ReadonlyMap<string, Fold>): DrawingGraph {
  const wrong = wrongBy(view.findings, (f) => (f.stage === 'network' ? f.deviceIds : []));
  const nodes = new Map<string, DrawingNode & { deviceIds: string[]; wrong: { refusals: number; cautions: number } }>();
  const nodeOfDevice = new Map<string, string>();
  const add = (
    id: string,
    kind: DrawingNode['kind'],
    title: string,
    parent: string | null,
    placeId: string | null,
    size: readonly [number, number],
  ) => {
    let node = nodes.get(id);
    if (node === undefined) {
      node = {
        id,
        kind,
        title,
        detail: '',
        parent,
        placeId,
        deviceIds: [],
        wrong: { refusals: 0, cautions: 0 },
        width: size[0],
        height: size[1],
      };
      nodes.set(id, node);
    }
    return node;
  };
  for (const device of plan.devices.values()) {
    const path = pathOf(plan, device.placeId);
    const closed = path.find((p) => folds.get(p.id) === 'closed');
    const isNowhereClosed = path.length === 0 && folds.get(NO_PLACE) === 'closed';
    const own = path[path.length - 1];
    const model = plan.models.get(device.modelId);
    let node;
    if (closed || isNowhereClosed) {
      const id = closed?.id ?? NO_PLACE;
      node = add(`place:${id}`, 'closed', closed?.name ?? 'No place', null, id, [150, 44]);
    } else {
      const placeId = own?.id ?? NO_PLACE;
      const parent = `place:${placeId}`;
      add(parent, 'place', path.map((p) => p.name).join(' / ') || 'No place', null, placeId, [0, 0]);
      if (model?.switching) node = add(`device:${device.id}`, 'switch', device.name, parent, placeId, [136, 40]);
      else if (folds.get(placeId) === 'open') {
        node = add(`device:${device.id}`, 'device', device.name, parent, placeId, [136, 26]);
      } else node = add(`bundle:${placeId}`, 'bundle', '', parent, placeId, [136, 26]);
    }
    node.deviceIds.push(device.id);
    node.wrong.refusals += wrong.get(device.id)?.refusals ?? 0;
    node.wrong.cautions += wrong.get(device.id)?.cautions ?? 0;
    nodeOfDevice.set(device.id, node.id);
  }
  const finished = [...nodes.values()].map((node): DrawingNode => {
    const first = plan.devices.get(node.deviceIds[0] ?? '');
    if (node.kind === 'bundle') {
      const title = node.deviceIds.length === 1 ? (first?.name ?? '') : `${node.deviceIds.length} devices`;
      return { ...node, title };
    }
    if (node.kind === 'closed') return { ...node, detail: `${node.deviceIds.length} devices` };
    if (node.kind === 'switch') return { ...node, detail: plan.models.get(first?.modelId ?? '')?.name ?? '' };
    return node;
  });
  return { nodes: finished, edges: edgesOf(plan, view, nodeOfDevice) };
}

function edgesOf(plan: Plan, view: View, nodeOfDevice: ReadonlyMap<string, string>): DrawingEdge[] {
  const { network } = view;
  const indexOf = new Map(network.linkIds.map((id, n) => [id, n]));
  const edges = new Map<string, { links: { id: string; share: number }[]; edge: DrawingEdge }>();
  for (const link of plan.links.values()) {
    const a = nodeOfDevice.get(link.from.deviceId);
    const b = nodeOfDevice.get(link.to.deviceId);
    if (a === undefined || b === undefined || a === b) continue;
    const [source, target] = a < b ? [a, b] : [b, a];
    const id = `${source}>${target}`;
    const n = indexOf.get(link.id);
    const usable = n === undefined ? 0 : (network.usableBitsPerSecond[n] ?? 0);
    const carried = n === undefined ? 0 : (network.streams[2 * n] ?? 0) + (network.streams[2 * n + 1] ?? 0);
    const bits =
      n === undefined ? 0 : Math.max(network.bitsPerSecond[2 * n] ?? 0, network.bitsPerSecond[2 * n + 1] ?? 0);
    const share = carried === 0 ? 0 : shareOf(bits, usable);
    const isIdle = network.idleLinkIds.has(link.id);
    const known = edges.get(id);
    if (known === undefined) {
      const edge = {
        id,
        source,
        target,
        linkIds: [],
        share,
        isIdle,
        isWireless: link.cable === 'wireless',
        bitsPerSecond: link.bitsPerSecond,
      };
      edges.set(id, { links: [{ id: link.id, share }], edge });
    } else {
      known.links.push({ id: link.id, share });
      known.edge = {
        ...known.edge,
        share: Math.max(known.edge.share, share),
        isIdle: known.edge.isIdle && isIdle,
        isWireless: known.edge.isWireless || link.cable === 'wireless',
        bitsPerSecond: Math.max(known.edge.bitsPerSecond, link.bitsPerSecond),
      };
    }
  }
  return [...edges.values()].map(({ links, edge }) => ({
    ...edge,
    linkIds: links.sort((a, b) => b.share - a.share || (a.id < b.id ? -1 : 1)).map((l) => l.id),
  }));
}

/** What of a graph its layout depends on: loads and findings may change without anything moving. */
export function layoutKey(graph: DrawingGraph): string {
  return JSON.stringify([
    graph.nodes.map((n) => [n.id, n.parent, n.width, n.height]),
    graph.edges.map((e) => [e.source, e.target]),
  ]);
}
