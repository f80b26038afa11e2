import { wrap } from 'comlink';
import { useEffect, useRef, useState } from 'react';
import { reportProblem } from '@/ui/parts/report-problem';
import type { Layout, LayoutRequest, LayoutWorker } from '@/workers/layout-view';
import type { Plan } from '@/core/plan/plan';
import type { View } from '@/ui/session/plan-store';
import { CARD_HEAD, CARD_ROW, drawingGraph, layoutKey, usualFolds } from './drawing-graph';

type Graph = ReturnType<typeof drawingGraph>;

/** Arrangements of this visit, the last ones used last: a drawing that is opened again stands at once. */
const known = new Map<string, Promise<Layout>>();
const done = new Map<string, Layout>();
const KNOWN_MAX = 12;

let remote: LayoutWorker | null = null;

/** The worker that arranges. It takes a while to start, so it is kept, and started before the drawing is opened. */
function layoutWorker(): LayoutWorker {
  if (remote === null) {
    const thread = new Worker(new URL('../../workers/layout.worker.ts', import.meta.url), { type: 'module' });
    remote = wrap<LayoutWorker>(thread) as unknown as LayoutWorker;
  }
  return remote;
}

function requestOf({ nodes, edges }: Graph): LayoutRequest {
  return {
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
  };
}

/** Arranges a graph, or says how it was arranged before. */
function arranged(key: string, graph: Graph): Promise<Layout> {
  let layout = known.get(key);
  if (layout === undefined) {
    layout = layoutWorker()
      .arrange(requestOf(graph))
      .then((found) => {
        done.set(key, found);
        return found;
      });
    layout.catch(() => known.delete(key));
  }
  known.delete(key);
  known.set(key, layout);
  for (const oldest of known.keys()) {
    if (known.size <= KNOWN_MAX) break;
    known.delete(oldest);
    done.delete(oldest);
  }
  return layout;
}

/** The layout of the graph; while a new one is worked out the old one stays. */
export function useLayout(key: string, graph: Graph) {
  const [shown, setShown] = useState<{ key: string; layout: Layout } | null>(null);
  const latest = useRef(graph);
  useEffect(() => {
    latest.current = graph;
  }, [graph]);
  const now = shown?.key === key ? shown.layout : done.get(key);
  useEffect(() => {
    let isWanted = true;
    arranged(key, latest.current)
      .then((layout) => isWanted && setShown({ key, layout }))
      .catch((error: unknown) => isWanted && reportProblem(error, 'The drawing could not be arranged'));
    return () => {
      isWanted = false;
    };
  }, [key]);
  return { layout: now ?? shown?.layout ?? null, isArranging: now === undefined };
}

/** Arranges the drawing as it will first be opened, so that it stands when it is. */
export function arrangeAhead(plan: Plan, view: View): void {
  const graph = drawingGraph(plan, view, usualFolds(plan));
  // Whoever opens the drawing reads what failed.
  arranged(layoutKey(graph), graph).catch(() => {});
}
