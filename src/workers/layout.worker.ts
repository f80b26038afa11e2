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
  'elk.layered.spacing.nodeNodeBetweenLayers': '14',
  'elk.layered.spacing.edgeNodeBetweenLayers': '10',
  'elk.spacing.nodeNode': '22',
  'elk.spacing.edgeEdge': '8',
  'elk.layered.considerModelOrder.strategy': 'NODES_AND_EDGES',
  'elk.separateConnectedComponents': 'true',
  'elk.spacing.componentComponent': '24',
};
const LABEL_HEIGHT = 17;
/** Labels without text are passed over; what is written on them is the drawing's business. */
const UNREAD = 'load';
const INLINE = { 'elk.edgeLabels.inline': 'true', 'elk.edgeLabels.placement': 'CENTER' };
const GROUP_OPTIONS = { 'elk.padding': '[top=30,left=12,bottom=12,right=12]' };

const portOf = (nodeId: string, rowId: string, side: 'in' | 'out') => `${nodeId} ${rowId} ${side}`;

async function arrange({ nodes, edges }: LayoutRequest): Promise<Layout> {
  const startedAt = performance.now();
  const elkNodes = new Map<string, ElkNode>();
  for (const { id, width, height, isGroup, rows } of nodes) {
    if (isGroup) elkNodes.set(id, { id, children: [], layoutOptions: GROUP_OPTIONS });
    else if (rows.length === 0) elkNodes.set(id, { id, width, height });
    else {
      const ports = rows.flatMap((row) => [
        {
          id: portOf(id, row.id, 'in'),
          x: 0,
          y: row.y,
          width: 0,
          height: 0,
          layoutOptions: { 'elk.port.side': 'WEST' },
        },
        {
          id: portOf(id, row.id, 'out'),
          x: width,
          y: row.y,
          width: 0,
          height: 0,
          layoutOptions: { 'elk.port.side': 'EAST' },
        },
      ]);
      elkNodes.set(id, { id, width, height, ports, layoutOptions: { 'elk.portConstraints': 'FIXED_POS' } });
    }
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
    edges: edges.map((e) => ({
      id: e.id,
      sources: [e.sourceRow === null ? e.source : portOf(e.source, e.sourceRow, 'out')],
      targets: [e.targetRow === null ? e.target : portOf(e.target, e.targetRow, 'in')],
      labels: [{ id: `label ${e.id}`, text: UNREAD, width: e.labelWidth, height: LABEL_HEIGHT, layoutOptions: INLINE }],
    })),
  });
  const boxes = new Map<string, { x: number; y: number; width: number; height: number }>();
  const ways = new Map<string, { x: number; y: number }[]>();
  const labels = new Map<string, { x: number; y: number }>();
  const visit = (node: ElkNode) => {
    if (node.id !== 'drawing') {
      boxes.set(node.id, { x: node.x ?? 0, y: node.y ?? 0, width: node.width ?? 0, height: node.height ?? 0 });
    }
    node.children?.forEach(visit);
    for (const edge of node.edges ?? []) {
      ways.set(edge.id, cornersOf(edge));
      const label = edge.labels?.[0];
      if (label) {
        labels.set(edge.id, {
          x: (label.x ?? 0) + (label.width ?? 0) / 2,
          y: (label.y ?? 0) + (label.height ?? 0) / 2,
        });
      }
    }
  };
  visit(result);
  return { boxes, ways, labels, tookMs: performance.now() - startedAt };
}

function cornersOf(edge: ElkExtendedEdge): { x: number; y: number }[] {
  return (edge.sections ?? []).flatMap((s) => [s.startPoint, ...(s.bendPoints ?? []), s.endPoint]);
}

const worker: LayoutWorker = { arrange };
expose(worker);
