'use client';

import { wrap } from 'comlink';
import { useEffect, useRef, useState } from 'react';
import { reportProblem } from '@/ui/parts/report-problem';
import type { Layout, LayoutWorker } from '@/workers/layout-view';
import type { drawingGraph } from './drawing-graph';
import { CARD_HEAD, CARD_ROW } from './drawing-graph';

/** The layout of the graph; while a new one is worked out the old one stays. */
export function useLayout(key: string, graph: ReturnType<typeof drawingGraph>) {
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
