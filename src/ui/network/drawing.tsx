import {
  ConnectionMode,
  Controls,
  ReactFlow,
  ReactFlowProvider,
  useReactFlow,
  useUpdateNodeInternals,
} from '@xyflow/react';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import type { Plan } from '@/core/plan/plan';
import { deviceName } from '@/ui/parts/names';
import { bits } from '@/ui/parts/units';
import type { View } from '@/ui/session/plan-store';
import { drawingGraph, layoutKey, usualFolds, type DrawingEdge, type DrawingNode, type Fold } from './drawing-graph';
import type { NetworkSelection } from './selection';
import '@xyflow/react/dist/base.css';
import { DrawingActions } from './drawing-actions';
import { drawnBoxes, drawnCables } from './drawing-elements';
import { useLayout } from './drawing-layout';
import { EDGE_TYPES, NODE_TYPES } from './drawing-shapes';
import { rove } from './roving';

/** The edges that run from a box or a line of a card, or the one edge itself. A card's own id lights all of its lines. */
function litEdges(edges: readonly DrawingEdge[], at: string | null): ReadonlySet<string> | null {
  if (at === null) return null;
  const lit = edges.filter((e) => [e.id, e.source, e.target, e.sourceRow, e.targetRow].includes(at)).map((e) => e.id);
  return lit.length === 0 ? null : new Set(lit);
}

/** The cables of edges with their sockets: `Wave edge A, Uplink 1 to North core A, Port 7: 1 Gb/s`. */
function cablesIn(plan: Plan, edges: readonly DrawingEdge[], lit: ReadonlySet<string>): string[] {
  return edges
    .filter((e) => lit.has(e.id))
    .flatMap((e) => e.linkIds)
    .flatMap((id) => {
      const link = plan.links.get(id);
      if (link === undefined) return [];
      const end = (p: { deviceId: string; port: string }) => `${deviceName(plan, p.deviceId)}, ${p.port}`;
      return [`${end(link.from)} to ${end(link.to)}: ${bits(link.bitsPerSecond)}`];
    });
}

const KEY_LINES = 4;

/** Which cables the pointer is at; where it is at none, what the signs of the drawing mean. */
function DrawingKey({ lines }: { lines: readonly string[] }) {
  return (
    <div
      aria-live="polite"
      className="pointer-events-none absolute right-2 bottom-2 left-14 z-10 text-right text-[12px] leading-4 text-dim"
    >
      {lines.length === 0 ? (
        <p>
          % of a cable’s busiest way · 6× 1.1%: six cables in this place, the busiest · thicker: 10 Gb/s · dots: idle ·
          point at a box to trace its cables
        </p>
      ) : (
        <p className="ml-auto w-max max-w-full rounded border border-line bg-bg px-2 py-1 text-left">
          {lines.slice(0, KEY_LINES).map((line) => (
            <span key={line} className="block truncate">
              {line}
            </span>
          ))}
          {lines.length > KEY_LINES ? `and ${lines.length - KEY_LINES} more` : null}
        </p>
      )}
    </div>
  );
}

interface DrawingProps {
  readonly plan: Plan;
  readonly view: View;
  readonly selection: NetworkSelection | null;
  readonly onSelect: (kind: 'link' | 'device' | 'place', id: string) => void;
  /** Two devices were joined by hand: ask for the sockets. */
  readonly onConnect: (fromId: string, toId: string) => void;
}

/** Places with their switches and cables, arranged by themselves. Drag from box to box to lay a cable. */
export function Drawing(props: DrawingProps) {
  return (
    <ReactFlowProvider>
      <Canvas {...props} />
    </ReactFlowProvider>
  );
}

function Canvas({ plan, view, selection, onSelect, onConnect }: DrawingProps) {
  const [chosenFolds, setFolds] = useState<ReadonlyMap<string, Fold>>(new Map());
  const folds = useMemo(() => new Map([...usualFolds(plan), ...chosenFolds]), [plan, chosenFolds]);
  const graph = useMemo(() => drawingGraph(plan, view, folds), [plan, view, folds]);
  const key = useMemo(() => layoutKey(graph), [graph]);
  const { layout, isArranging } = useLayout(key, graph);
  const { fitView } = useReactFlow();
  const boxes = layout?.boxes;
  const fitted = useRef(false);
  useEffect(() => {
    if (boxes === undefined) return;
    // The first arrangement is shown whole; later ones move as little of the view as can be.
    const frame = requestAnimationFrame(() => {
      const isStill = window.matchMedia('(prefers-reduced-motion: reduce)').matches;
      void fitView({ padding: 0.04, duration: fitted.current && !isStill ? 200 : 0, maxZoom: 1.1 });
      fitted.current = true;
    });
    return () => cancelAnimationFrame(frame);
  }, [boxes, fitView]);

  const selectedLink = selection?.kind === 'link' ? selection.id : null;
  const selectedDevice = selection?.kind === 'device' ? selection.id : null;
  const nodes = useMemo(
    () => (layout === null ? [] : drawnBoxes(graph, layout, selectedDevice)),
    [graph, layout, selectedDevice],
  );
  const edges = useMemo(
    () => (layout === null ? [] : drawnCables(graph, layout, selectedLink)),
    [graph, layout, selectedLink],
  );

  // Lines of a card come and go without a change of its size: where cables end is looked at after every arrangement. Without it
  // one that is overtaken by the next would leave the drawing without its cables.
  const updateNodeInternals = useUpdateNodeInternals();
  useEffect(() => {
    if (boxes !== undefined) updateNodeInternals([...boxes.keys()]);
  }, [boxes, updateNodeInternals]);

  const fold = useCallback(
    (placeId: string, next: Fold) => setFolds((before) => new Map([...before, [placeId, next]])),
    [],
  );
  const selectLink = useCallback((id: string) => onSelect('link', id), [onSelect]);
  const selectDevice = useCallback((id: string) => onSelect('device', id), [onSelect]);
  const selectPlace = useCallback((id: string) => onSelect('place', id), [onSelect]);
  const [at, setAt] = useState<string | null>(null);
  const lit = useMemo(() => litEdges(graph.edges, at), [graph.edges, at]);
  const selectedPlace = selection?.kind === 'place' ? selection.id : null;
  const actions = useMemo(
    () => ({
      fold,
      folds,
      selectLink,
      selectDevice,
      selectPlace,
      selectedPlace,
      lit,
      ceilingPercent: plan.settings.loadCeilingPercent,
    }),
    [fold, folds, selectLink, selectDevice, selectPlace, selectedPlace, lit, plan.settings.loadCeilingPercent],
  );
  const open = (box: DrawingNode) => {
    if (box.kind === 'closed') fold(box.placeId ?? '', 'switches');
    else if (box.deviceIds[0] !== undefined && (box.kind === 'switch' || box.kind === 'device')) {
      onSelect('device', box.deviceIds[0]);
    }
  };
  const boxOf = (id: string) => graph.nodes.find((n) => n.id === id);
  /** A device by its box, or by the line of a card from which the drag began. */
  const deviceOf = (nodeId: string | null, handle: string | null | undefined) => {
    const id = handle?.startsWith('device:') ? handle : nodeId;
    return id?.startsWith('device:') ? id.slice('device:'.length).replace(/ (in|out)$/, '') : null;
  };

  return (
    <DrawingActions.Provider value={actions}>
      <div
        className="relative min-h-0 flex-1 focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
        data-drawing={isArranging ? 'arranging' : 'arranged'}
        tabIndex={0}
        role="group"
        aria-label="Drawing of the network. Arrow keys go from one thing to the next, Enter opens it."
        onKeyDownCapture={rove}
        onFocusCapture={(e) => setAt((e.target as Element).closest('[data-id]')?.getAttribute('data-id') ?? null)}
      >
        <ReactFlow
          nodes={nodes}
          edges={edges}
          nodeTypes={NODE_TYPES}
          edgeTypes={EDGE_TYPES}
          connectionMode={ConnectionMode.Loose}
          onlyRenderVisibleElements={nodes.length > 150}
          minZoom={0.08}
          maxZoom={2}
          nodesDraggable={false}
          deleteKeyCode={null}
          elementsSelectable
          proOptions={{ hideAttribution: true }}
          disableKeyboardA11y
          onNodeMouseEnter={(_, node) => setAt(node.id)}
          onNodeMouseLeave={() => setAt(null)}
          onEdgeMouseEnter={(_, edge) => setAt(edge.id)}
          onEdgeMouseLeave={() => setAt(null)}
          onNodeClick={(_, node) => open(node.data.box)}
          onEdgeClick={(_, edge) => edge.data?.edge.linkIds[0] && onSelect('link', edge.data.edge.linkIds[0])}
          onKeyDown={(e) => {
            if (e.key !== 'Enter' && e.key !== ' ') return;
            const target = e.target as HTMLElement;
            const id = target.getAttribute('data-id');
            if (id === null) return;
            e.preventDefault();
            const box = boxOf(id);
            const edge = graph.edges.find((x) => x.id === id);
            if (box) open(box);
            else if (edge?.linkIds[0]) onSelect('link', edge.linkIds[0]);
          }}
          onConnect={({ source, sourceHandle, target, targetHandle }) => {
            const from = deviceOf(source, sourceHandle);
            const to = deviceOf(target, targetHandle);
            if (from !== null && to !== null && from !== to) onConnect(from, to);
          }}
        >
          <Controls showInteractive={false} className="jade-controls" />
        </ReactFlow>
        <DrawingKey lines={lit === null ? [] : cablesIn(plan, graph.edges, lit)} />
        {isArranging ? (
          <p role="status" className="absolute top-2 left-3 text-dim">
            Arranging …
          </p>
        ) : null}
      </div>
    </DrawingActions.Provider>
  );
}
