'use client';

import '@xyflow/react/dist/base.css';
import {
  BaseEdge,
  ConnectionMode,
  Controls,
  EdgeLabelRenderer,
  Handle,
  Position,
  ReactFlow,
  ReactFlowProvider,
  useReactFlow,
  useUpdateNodeInternals,
  type Edge,
  type EdgeProps,
  type Node,
  type NodeProps,
} from '@xyflow/react';
import { wrap } from 'comlink';
import { ChevronDown, Maximize2, Minimize2 } from 'lucide-react';
import { createContext, memo, useCallback, useContext, useEffect, useMemo, useRef, useState } from 'react';
import type { Plan } from '@/core/plan/plan';
import { reportProblem } from '@/ui/parts/report-problem';
import { Cautions, Refusals } from '@/ui/parts/signs';
import { bits, percent } from '@/ui/parts/units';
import type { View } from '@/ui/session/plan-store';
import type { Layout, LayoutWorker } from '@/workers/layout-view';
import {
  CARD_HEAD,
  CARD_ROW,
  drawingGraph,
  layoutKey,
  usualFolds,
  type CardRow,
  type DrawingEdge,
  type DrawingNode,
  type Fold,
} from './drawing-graph';
import type { NetworkSelection } from './selection';

interface Actions {
  readonly fold: (placeId: string, fold: Fold) => void;
  readonly folds: ReadonlyMap<string, Fold>;
  readonly ceilingPercent: number;
  readonly selectLink: (id: string) => void;
  readonly selectDevice: (id: string) => void;
  readonly selectPlace: (id: string) => void;
  readonly selectedPlace: string | null;
}
const DrawingActions = createContext<Actions | null>(null);

type BoxNode = Node<{ box: DrawingNode; selectedId: string | null }, 'box' | 'place' | 'card'>;
type CableEdge = Edge<
  {
    edge: DrawingEdge;
    corners: readonly { x: number; y: number }[];
    label: { x: number; y: number };
    isSelected: boolean;
  },
  'cables'
>;

const NODE_TYPES = { box: memo(Box), place: memo(PlaceBox), card: memo(Card) };
const EDGE_TYPES = { cables: memo(Cables) };

export interface DrawingProps {
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
      void fitView({ padding: 0.04, duration: fitted.current ? 200 : 0, maxZoom: 1.1 });
      fitted.current = true;
    });
    return () => cancelAnimationFrame(frame);
  }, [boxes, fitView]);

  const selectedLink = selection?.kind === 'link' ? selection.id : null;
  const selectedDevice = selection?.kind === 'device' ? selection.id : null;
  const nodes = useMemo((): BoxNode[] => {
    if (layout === null) return [];
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
          // Known, so that where cables end is kept from one arrangement to the next and only looked at anew below.
          measured: { width: at.width, height: at.height },
          data: { box, selectedId },
          draggable: false,
          focusable: !isFrame,
          selectable: false,
          connectable: box.kind !== 'closed' && box.kind !== 'place',
          zIndex: box.kind === 'place' ? -1 : 1,
          ariaLabel: `${box.title}${box.detail ? `, ${box.detail}` : ''}`,
        },
      ];
    });
  }, [graph, layout, selectedDevice]);
  const edges = useMemo((): CableEdge[] => {
    if (layout === null) return [];
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
          ariaLabel: `${edge.linkIds.length > 1 ? `${edge.linkIds.length} cables` : 'Cable'}, busiest ${percent(edge.share)}`,
        },
      ];
    });
  }, [graph, layout, selectedLink]);

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
  const selectedPlace = selection?.kind === 'place' ? selection.id : null;
  const actions = useMemo(
    () => ({
      fold,
      folds,
      selectLink,
      selectDevice,
      selectPlace,
      selectedPlace,
      ceilingPercent: plan.settings.loadCeilingPercent,
    }),
    [fold, folds, selectLink, selectDevice, selectPlace, selectedPlace, plan.settings.loadCeilingPercent],
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
      <div className="relative min-h-0 flex-1" data-drawing={isArranging ? 'arranging' : 'arranged'}>
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
          aria-label="Drawing of the network"
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
        {isArranging ? (
          <p role="status" className="absolute top-2 left-3 text-dim">
            Arranging …
          </p>
        ) : null}
      </div>
    </DrawingActions.Provider>
  );
}

/** The layout of the graph; while a new one is worked out the old one stays. */
function useLayout(key: string, graph: ReturnType<typeof drawingGraph>) {
  const [done, setDone] = useState<{ key: string; layout: Layout } | null>(null);
  const latest = useRef(graph);
  useEffect(() => {
    latest.current = graph;
  }, [graph]);
  const worker = useRef<{ thread: Worker; remote: LayoutWorker } | null>(null);
  useEffect(() => () => worker.current?.thread.terminate(), []);
  useEffect(() => {
    if (worker.current === null) {
      const thread = new Worker(new URL('../../workers/layout.worker.ts', import.meta.url), { type: 'module' });
      worker.current = { thread, remote: wrap<LayoutWorker>(thread) as unknown as LayoutWorker };
    }
    let isWanted = true;
    const { nodes, edges } = latest.current;
    void worker.current.remote
      .arrange({
        nodes: nodes.map(({ id, parent, width, height, kind, rows }) => ({
          id,
          parent,
          width,
          height,
          isGroup: kind === 'place',
          rows: rows.map((r, n) => ({ id: r.id, y: CARD_HEAD + n * CARD_ROW + CARD_ROW / 2 })),
        })),
        edges: edges.map(({ id, source, target, sourceRow, targetRow, linkIds }) => ({
          id,
          source,
          target,
          sourceRow,
          targetRow,
          labelWidth: linkIds.length > 1 ? 66 : 46,
        })),
      })
      .then((layout) => isWanted && setDone({ key, layout }))
      .catch((error: unknown) => isWanted && reportProblem(error, 'The drawing could not be arranged'));
    return () => {
      isWanted = false;
    };
  }, [key]);
  return { layout: done?.layout ?? null, isArranging: done?.key !== key };
}

const HANDLE = '!h-2 !w-2 !min-w-0 !rounded-full !border !border-edge !bg-bg opacity-0 group-hover:opacity-100';

function Box({ data }: NodeProps<BoxNode>) {
  const { box, selectedId } = data;
  const isSelected = selectedId !== null;
  const isSwitch = box.kind === 'switch';
  const isJoinable = isSwitch || box.kind === 'device';
  const signs = (
    <>
      <Refusals n={box.wrong.refusals} />
      <Cautions n={box.wrong.cautions} />
    </>
  );
  return (
    <div
      className={`group flex h-full w-full items-center gap-1.5 border px-2 ${
        isSelected ? 'border-jade bg-selected' : isSwitch ? 'border-edge bg-raise' : 'border-line bg-panel'
      } ${box.kind === 'closed' ? 'border-double border-edge [border-width:3px]' : 'rounded'}`}
      title={box.detail ? `${box.title}, ${box.detail}` : box.title}
    >
      <Handle type="source" position={Position.Right} isConnectable={isJoinable} className={HANDLE} />
      <Handle type="target" position={Position.Left} isConnectable={isJoinable} className={HANDLE} />
      <span className="min-w-0 flex-1">
        <span className="flex items-center gap-1">
          <span className={`min-w-0 flex-1 truncate text-[12px] leading-[16px] ${isSwitch ? 'font-medium' : ''}`}>
            {box.title}
          </span>
          {box.detail ? null : signs}
        </span>
        {box.detail ? (
          <span className="flex h-4 items-center gap-1">
            <span className="min-w-0 flex-1 truncate text-[11px] leading-[14px] text-dim">{box.detail}</span>
            {signs}
          </span>
        ) : null}
      </span>
    </div>
  );
}

function PlaceBox({ data }: NodeProps<BoxNode>) {
  return (
    <div className="h-full w-full rounded border border-line bg-panel/40">
      <PlaceHead box={data.box} />
    </div>
  );
}

function PlaceHead({ box }: { box: DrawingNode }) {
  const actions = useContext(DrawingActions);
  const placeId = box.placeId ?? '';
  const isOpen = actions?.folds.get(placeId) === 'open';
  const button =
    'nodrag nopan rounded p-0.5 text-dim hover:text-ink focus-visible:outline-2 focus-visible:outline-jade';
  return (
    <div className="flex items-center gap-1 px-1.5" style={{ height: CARD_HEAD }}>
      <button
        type="button"
        aria-label={`Close ${box.title}`}
        className={button}
        onClick={() => actions?.fold(placeId, 'closed')}
      >
        <ChevronDown size={13} />
      </button>
      <button
        type="button"
        className={`nodrag nopan min-w-0 flex-1 truncate text-left text-[12px] font-medium hover:underline focus-visible:outline-2 focus-visible:outline-jade ${
          placeId !== '' && actions?.selectedPlace === placeId ? 'text-jade' : ''
        }`}
        title={box.title}
        onClick={() => placeId !== '' && actions?.selectPlace(placeId)}
      >
        {box.title}
      </button>
      <button
        type="button"
        aria-label={isOpen ? `Hide the devices of ${box.title}` : `Show the devices of ${box.title}`}
        aria-pressed={isOpen}
        className={button}
        onClick={() => actions?.fold(placeId, isOpen ? 'switches' : 'open')}
      >
        {isOpen ? <Minimize2 size={12} /> : <Maximize2 size={12} />}
      </button>
    </div>
  );
}

/** A place as a card: its switches line by line, the other devices in the last line. */
function Card({ data }: NodeProps<BoxNode>) {
  const { box, selectedId } = data;
  return (
    <div className="h-full w-full rounded border border-edge bg-panel">
      <PlaceHead box={box} />
      {box.rows.map((row, n) => (
        <CardLine key={row.id} row={row} index={n} placeId={box.placeId ?? ''} selectedId={selectedId} />
      ))}
    </div>
  );
}

function CardLine({
  row,
  index,
  placeId,
  selectedId,
}: {
  row: CardRow;
  index: number;
  placeId: string;
  selectedId: string | null;
}) {
  const actions = useContext(DrawingActions);
  const isSelected = selectedId !== null && row.deviceIds.includes(selectedId);
  const isSwitch = row.kind === 'switch';
  const y = CARD_HEAD + index * CARD_ROW + CARD_ROW / 2;
  const isOver = row.innerShare * 100 > (actions?.ceilingPercent ?? 70);
  const isOne = row.deviceIds.length === 1;
  return (
    <div
      className={`group flex items-center gap-1 border-t border-line px-1.5 text-[12px] ${isSelected ? 'bg-selected' : ''}`}
      style={{ height: CARD_ROW }}
    >
      <Handle
        id={`${row.id} in`}
        type="target"
        position={Position.Left}
        style={{ top: y }}
        isConnectable={isSwitch || isOne}
        className={HANDLE}
      />
      <Handle
        id={`${row.id} out`}
        type="source"
        position={Position.Right}
        style={{ top: y }}
        isConnectable={isSwitch || isOne}
        className={HANDLE}
      />
      <button
        type="button"
        className={`nodrag nopan min-w-0 flex-1 truncate text-left hover:underline focus-visible:outline-2 focus-visible:outline-jade ${isSwitch ? '' : 'text-dim'}`}
        title={isSwitch || isOne ? row.title : `Show all ${row.title}`}
        onClick={() =>
          isSwitch || isOne ? actions?.selectDevice(row.deviceIds[0] ?? '') : actions?.fold(placeId, 'open')
        }
      >
        {row.title}
      </button>
      {row.innerLinkIds.length > 0 ? (
        <button
          type="button"
          className={`nodrag nopan font-mono text-[10.5px] hover:underline focus-visible:outline-2 focus-visible:outline-jade ${isOver ? 'text-madder' : 'text-dim'}`}
          title={`${row.innerLinkIds.length} cables within the place, the busiest at ${shortPercent(row.innerShare)}`}
          onClick={() => row.innerLinkIds[0] && actions?.selectLink(row.innerLinkIds[0])}
        >
          {row.innerLinkIds.length}× {shortPercent(row.innerShare)}
        </button>
      ) : null}
      <Refusals n={row.wrong.refusals} />
      <Cautions n={row.wrong.cautions} />
    </div>
  );
}

/** A share as the drawing has room for: one decimal below ten percent. */
function shortPercent(share: number): string {
  if (!Number.isFinite(share)) return 'over';
  return share >= 0.1 ? `${Math.round(share * 100)}%` : `${(share * 100).toFixed(1)}%`;
}

/** Straight runs with the load of the busiest cable at their middle; the thicker the faster, and cut short when idle. */
function Cables({ id, data }: EdgeProps<CableEdge>) {
  const actions = useContext(DrawingActions);
  if (data === undefined) return null;
  const { edge, corners, label, isSelected } = data;
  const isOver = edge.share * 100 > (actions?.ceilingPercent ?? 70);
  const isNear = !isOver && edge.share * 100 > (actions?.ceilingPercent ?? 70) * 0.8;
  const path = corners.map((c, n) => `${n === 0 ? 'M' : 'L'}${c.x},${c.y}`).join(' ');
  const width = edge.bitsPerSecond >= 1e10 ? 2.6 : edge.bitsPerSecond >= 1e9 ? 1.6 : 1;
  const stroke = isOver
    ? 'var(--madder)'
    : isNear
      ? 'var(--ochre)'
      : isSelected
        ? 'var(--jade)'
        : edge.share > 0
          ? 'var(--slate)'
          : 'var(--edge)';
  const says = edge.isIdle ? 'idle' : edge.share > 0 ? shortPercent(edge.share) : '';
  const count = edge.linkIds.length > 1 ? `${edge.linkIds.length}×` : '';
  return (
    <>
      <BaseEdge
        id={id}
        path={path}
        interactionWidth={12}
        style={{
          stroke,
          strokeWidth: isSelected ? width + 1.4 : width,
          strokeDasharray: edge.isIdle ? '2 5' : edge.isWireless ? '7 4' : undefined,
        }}
      />
      {says !== '' || count !== '' ? (
        <EdgeLabelRenderer>
          <button
            type="button"
            tabIndex={-1}
            className={`nodrag nopan pointer-events-auto absolute rounded-sm border px-1 font-mono text-[10.5px] leading-[15px] whitespace-nowrap ${
              isSelected ? 'border-jade bg-selected' : 'border-line bg-bg'
            } ${isOver ? 'text-madder' : isNear ? 'text-ochre' : 'text-dim'}`}
            style={{ transform: `translate(-50%, -50%) translate(${label.x}px, ${label.y}px)` }}
            title={`${edge.linkIds.length > 1 ? `${edge.linkIds.length} cables, the busiest` : 'Cable'} of ${bits(edge.bitsPerSecond)}: ${says || 'no media'}`}
            onClick={() => edge.linkIds[0] && actions?.selectLink(edge.linkIds[0])}
          >
            {[count, says].filter(Boolean).join(' ')}
          </button>
        </EdgeLabelRenderer>
      ) : null}
    </>
  );
}
