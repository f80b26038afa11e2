import { expose } from 'comlink';
import ELK, { type ElkExtendedEdge, type ElkNode } from 'elkjs/lib/elk.bundled.js';
import type { Layout, LayoutRequest, LayoutWorker } from './layout-view';

/** Arranges the drawing of the network, away from the page's own thread. */

const elk = new ELK();

const OPTIONS = {
  'elk.algorithm': 'layered',
  'elk.direction': 'RIGHT',
  'elk.hierarchyHandling': 'INCLUDE_CHILDREN',
  'elk.edgeRouting': 'ORTHOGONAL',
  'elk.json.shapeCoords': 'ROOT',
  'elk.json.edgeCoords': 'ROOT',
  'elk.layered.spacing.nodeNodeBetweenLayers': '46',
  'elk.layered.spacing.edgeNodeBetweenLayers': '16',
  'elk.spacing.nodeNode': '14',
  'elk.spacing.edgeEdge': '8',
  'elk.layered.considerModelOrder.strategy': 'NODES_AND_EDGES',
  'elk.separateConnectedComponents': 'true',
  'elk.spacing.componentComponent': '24',
};
const GROUP_OPTIONS = { 'elk.padding': '[top=30,left=12,bottom=12,right=12]' };

async function arrange({ nodes, edges }: LayoutRequest): Promise<Layout> {
  const startedAt = performance.now();
  const elkNodes = new Map<string, ElkNode>();
  for (const { id, width, height, isGroup } of nodes) {
    elkNodes.set(id, isGroup ? { id, children: [], layoutOptions: GROUP_OPTIONS } : { id, width, height });
  }
  const roots: ElkNode[] = [];
  for (const { id, parent } of nodes) {
    const node = elkNodes.get(id) as ElkNode;
    const group = parent === null ? undefined : elkNodes.get(parent);
    if (group?.children) group.children.push(node);
    else roots.push(node);
  }
  const result = await elk.layout({
    id: 'drawing',
    layoutOptions: OPTIONS,
    children: roots,
    edges: edges.map((e) => ({ id: e.id, sources: [e.source], targets: [e.target] })),
  });
  const boxes = new Map<string, { x: number; y: number; width: number; height: number }>();
  const ways = new Map<string, { x: number; y: number }[]>();
  const visit = (node: ElkNode) => {
    if (node.id !== 'drawing') {
      boxes.set(node.id, { x: node.x ?? 0, y: node.y ?? 0, width: node.width ?? 0, height: node.height ?? 0 });
    }
    node.children?.forEach(visit);
    for (const edge of node.edges ?? []) ways.set(edge.id, cornersOf(edge));
  };
  visit(result);
  return { boxes, ways, tookMs: performance.now() - startedAt };
}

function cornersOf(edge: ElkExtendedEdge): { x: number; y: number }[] {
  return (edge.sections ?? []).flatMap((s) => [s.startPoint, ...(s.bendPoints ?? []), s.endPoint]);
}

const worker: LayoutWorker = { arrange };
expose(worker);
