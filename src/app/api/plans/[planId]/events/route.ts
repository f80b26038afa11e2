import { openSession } from '@/server/edit';
import { AuthorRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import type { PlanContext } from '@/server/route-context';
import { checked } from '@/server/validate';

export const dynamic = 'force-dynamic';

const KEEP_ALIVE_MS = 15_000;

/** Server-sent events: every change of the plan and of the field, and who else is here. */
export const GET = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const session = openSession((await params).planId);
    const query = new URL(request.url).searchParams;
    const { id, name } = await checked({ id: query.get('author'), name: query.get('name') }, AuthorRequest);
    const encoder = new TextEncoder();
    let stop = () => {};
    const stream = new ReadableStream<Uint8Array>({
      start(controller) {
        const write = (text: string) => {
          try {
            controller.enqueue(encoder.encode(text));
          } catch {
            stop(); // the browser went away
          }
        };
        const unlisten = session.listen({ id, name }, (event, data) => write(`event: ${event}\ndata: ${data}\n\n`));
        const keepAlive = setInterval(() => write(': still here\n\n'), KEEP_ALIVE_MS);
        stop = () => {
          clearInterval(keepAlive);
          unlisten();
        };
        request.signal.addEventListener('abort', () => stop());
      },
      cancel: () => stop(),
    });
    const headers = {
      'content-type': 'text/event-stream',
      'cache-control': 'no-store, no-transform',
      'x-accel-buffering': 'no',
    };
    return new Response(stream, { headers });
  });
