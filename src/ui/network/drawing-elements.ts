import { percent } from '@/ui/parts/units';
import type { BoxNode, CableEdge } from './drawing-actions';
import type { Layout } from '@/workers/layout-view';
import type { DrawingEdge, DrawingGraph } from './drawing-graph';

/** The graph of the network, arranged, as the boxes and lines that are drawn. */

/** `Cable Wave edge A to North core A, 12.3 %`: with both its ends. */
function cableLabel(edge: DrawingEdge, titleOf: (id: string) => string): string {
  const [from, to] = [titleOf(edge.sourceRow ?? edge.source), titleOf(edge.targetRow ?? edge.target)];
  const what = edge.linkIds.length > 1 ? `${edge.linkIds.length} cables` : 'Cable';
  const load = edge.isIdle ? 'idle' : `${edge.linkIds.length > 1 ? 'busiest ' : ''}${percent(edge.share)}`;
  return `${what} ${from} to ${to}, ${load}`;
}

/** The boxes that have been arranged. @param selectedDevice its box, or its line of a card, is marked */
export function drawnBoxes(graph: DrawingGraph, layout: Layout, selectedDevice: string | null): BoxNode[] {
  return graph.nodes.flatMap((box): BoxNode[] => {
    const at = layout.boxes.get(box.id);
    if (at === undefined) return [];
    const selectedId = selectedDevice !== null && box.deviceIds.includes(selectedDevice) ? selectedDevice : null;
    const isFrame = box.kind === 'place' || box.kind === 'card';
    return [
      {
        id: box.id,
        type: box.kind === 'place' || box.kind === 'card' ? box.kind : 'box',
        position: { x: at.x, y: at.y },
        width: at.width,
        height: at.height,
        // Known, so that where cables end is kept from one arrangement to the next and only looked at again afterwards.
        measured: { width: at.width, height: at.height },
        data: { box, selectedId },
        draggable: false,
        focusable: !isFrame,
        selectable: false,
        connectable: box.kind !== 'closed' && box.kind !== 'place',
        zIndex: box.kind === 'place' ? -1 : 1,
        ariaLabel: `${box.title}${box.detail ? `, ${box.detail}` : ''}`,
        domAttributes: { tabIndex: -1, ...(isFrame ? {} : { 'data-rove': '' }) },
      },
    ];
  });
}

/** The cables between them. */
export function drawnCables(graph: DrawingGraph, layout: Layout, selectedLink: string | null): CableEdge[] {
  const titles = new Map(
    graph.nodes.flatMap((n) => [[n.id, n.title] as const, ...n.rows.map((r) => [r.id, r.title] as const)]),
  );
  const titleOf = (id: string) => titles.get(id) ?? id;
  return graph.edges.flatMap((edge): CableEdge[] => {
    const corners = layout.ways.get(edge.id);
    if (corners === undefined || !layout.boxes.has(edge.source) || !layout.boxes.has(edge.target)) return [];
    const isSelected = selectedLink !== null && edge.linkIds.includes(selectedLink);
    return [
      {
        id: edge.id,
        type: 'cables',
        source: edge.source,
        target: edge.target,
        ...(edge.sourceRow === null ? {} : { sourceHandle: `${edge.sourceRow} out` }),
        ...(edge.targetRow === null ? {} : { targetHandle: `${edge.targetRow} in` }),
        data: { edge, corners, label: layout.labels.get(edge.id) ?? corners[0] ?? { x: 0, y: 0 }, isSelected },
        focusable: true,
        domAttributes: { tabIndex: -1 },
        ariaLabel: cableLabel(edge, titleOf),
      },
    ];
  });
}
