import { serve } from '@/server/requests/serve';
import { expose, type Endpoint } from 'comlink';
import { reckonDesk } from '@/workers/reckon-desk';

/**
 * What a page needs around it, all in one process and all of it the product's own: the worker that reckons, behind the same
 * messages, and what the server answers, behind fetch and EventSource.
 */

const answer = async (path: string, init?: RequestInit): Promise<Response> =>
  serve(new Request(new URL(path, 'http://127.0.0.1'), init));

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
