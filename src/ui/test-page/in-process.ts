import { expose, type Endpoint } from 'comlink';
import { reckonDesk } from '@/workers/reckon-desk';

/**
 * What a page needs around it, all in one process and all of it the product's own: the worker that reckons, behind the same
 * messages, and the server's route handlers, behind fetch and EventSource.
 */

type Handler = (request: Request, context: { params: Promise<Record<string, string>> }) => Promise<Response>;
type RouteModule = Partial<Record<string, Handler>>;

const PLAN = '/api/plans/([^/]+)';
const ROUTES: readonly (readonly [RegExp, () => Promise<unknown>])[] = [
  [/^\/api\/plans$/, () => import('@/app/api/plans/route')],
  [/^\/api\/plans\/demo$/, () => import('@/app/api/plans/demo/route')],
  [/^\/api\/plans\/file$/, () => import('@/app/api/plans/file/route')],
  [new RegExp(`^${PLAN}$`), () => import('@/app/api/plans/[planId]/route')],
  [new RegExp(`^${PLAN}/batch$`), () => import('@/app/api/plans/[planId]/batch/route')],
  [new RegExp(`^${PLAN}/events$`), () => import('@/app/api/plans/[planId]/events/route')],
  [new RegExp(`^${PLAN}/undo$`), () => import('@/app/api/plans/[planId]/undo/route')],
  [new RegExp(`^${PLAN}/redo$`), () => import('@/app/api/plans/[planId]/redo/route')],
  [new RegExp(`^${PLAN}/overview$`), () => import('@/app/api/plans/[planId]/overview/route')],
  [new RegExp(`^${PLAN}/history$`), () => import('@/app/api/plans/[planId]/history/route')],
  [new RegExp(`^${PLAN}/history/([^/]+)$`), () => import('@/app/api/plans/[planId]/history/[entryId]/route')],
  [
    new RegExp(`^${PLAN}/history/([^/]+)/take-back$`),
    () => import('@/app/api/plans/[planId]/history/[entryId]/take-back/route'),
  ],
  [new RegExp(`^${PLAN}/copy$`), () => import('@/app/api/plans/[planId]/copy/route')],
  [new RegExp(`^${PLAN}/restore$`), () => import('@/app/api/plans/[planId]/restore/route')],
  [new RegExp(`^${PLAN}/send/preview$`), () => import('@/app/api/plans/[planId]/send/preview/route')],
  [new RegExp(`^${PLAN}/take-over$`), () => import('@/app/api/plans/[planId]/take-over/route')],
  [new RegExp(`^${PLAN}/send$`), () => import('@/app/api/plans/[planId]/send/route')],
  [/^\/api\/field\/places$/, () => import('@/app/api/field/places/route')],
  [/^\/api\/field\/nodes$/, () => import('@/app/api/field/nodes/route')],
  [/^\/api\/field\/adapters$/, () => import('@/app/api/field/adapters/route')],
  [/^\/api\/models$/, () => import('@/app/api/models/route')],
  [/^\/api\/models\/file$/, () => import('@/app/api/models/file/route')],
  [/^\/api\/models\/([^/]+)$/, () => import('@/app/api/models/[modelId]/route')],
];

async function answer(path: string, init?: RequestInit): Promise<Response> {
  const url = new URL(path, 'http://127.0.0.1');
  for (const [pattern, load] of ROUTES) {
    const found = pattern.exec(url.pathname);
    if (found === null) continue;
    const handler = ((await load()) as RouteModule)[init?.method ?? 'GET'];
    if (handler === undefined) return new Response(null, { status: 405 });
    return handler(new Request(url, init), {
      params: Promise.resolve({ planId: found[1] ?? '', modelId: found[1] ?? '', entryId: found[2] ?? '' }),
    });
  }
  return new Response(null, { status: 404 });
}

/** The reckoning worker without a thread of its own. */
class WorkerInProcess {
  private readonly ports = new MessageChannel();
  constructor() {
    expose(reckonDesk(), this.ports.port2 as unknown as Endpoint);
    this.ports.port1.start();
    this.ports.port2.start();
  }
  postMessage(message: unknown, transfer: Transferable[]): void {
    this.ports.port1.postMessage(message, transfer);
  }
  addEventListener(type: string, listener: EventListener): void {
    this.ports.port1.addEventListener(type, listener);
  }
  removeEventListener(type: string, listener: EventListener): void {
    this.ports.port1.removeEventListener(type, listener);
  }
  terminate(): void {
    this.ports.port1.close();
    this.ports.port2.close();
  }
}

/** Server-sent events read from the route's own answer. */
class EventSourceInProcess {
  static readonly CLOSED = 2;
  readonly readyState: number = 1;
  onopen: (() => void) | null = null;
  onerror: (() => void) | null = null;
  private readonly heard = new Map<string, (e: { data: string }) => void>();
  private readonly end = new AbortController();

  constructor(path: string) {
    void this.read(path).catch(() => this.end.signal.aborted || this.onerror?.());
  }
  addEventListener(event: string, take: (e: { data: string }) => void): void {
    this.heard.set(event, take);
  }
  close(): void {
    this.end.abort();
  }
  private async read(path: string): Promise<void> {
    const response = await answer(path, { signal: this.end.signal });
    if (this.end.signal.aborted) return;
    this.onopen?.();
    const decoder = new TextDecoder();
    let text = '';
    const reader = response.body!.getReader();
    this.end.signal.addEventListener('abort', () => void reader.cancel());
    for (let part = await reader.read(); !part.done; part = await reader.read()) {
      text += decoder.decode(part.value, { stream: true });
      const events = text.split('\n\n');
      text = events.pop() ?? '';
      for (const [, event, data] of events.flatMap((e) => [...e.matchAll(/^event: (.*)\ndata: (.*)$/g)])) {
        if (!this.end.signal.aborted) this.heard.get(event ?? '')?.({ data: data ?? '' });
      }
    }
  }
}

/** Puts them where a page looks for them. */
export function serveInProcess(): void {
  Object.assign(globalThis, { fetch: answer, Worker: WorkerInProcess, EventSource: EventSourceInProcess });
}
