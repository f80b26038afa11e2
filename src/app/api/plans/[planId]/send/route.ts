import type { SendNews } from '@/server/messages';
import { SendRequest } from '@/server/requests/requests';
import { problemAnswer, respond } from '@/server/respond';
import type { PlanContext } from '@/server/route-context';
import { sendLanes } from '@/server/send-lanes';
import { readRequest } from '@/server/requests/read-request';

const LINES = 'application/x-ndjson';

/**
 * Sends, and answers with what became of it. Who asks for lines of JSON is told each step of each device as it goes. A browser that goes away
 * does not stop what has begun.
 */
export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const wanted = await readRequest(request, SendRequest);
    const { channels, author, start, isRetry = false, id = null, inMs, momentBy = 'clock' } = wanted;
    const at = inMs === undefined ? {} : { at: { atMs: Date.now() + inMs, by: momentBy } };
    const { planId } = await params;
    if (request.headers.get('accept') !== LINES)
      return sendLanes(planId, channels, { ...author }, start, { id, isRetry, ...at });
    const encoder = new TextEncoder();
    const stream = new ReadableStream<Uint8Array>({
      start(controller) {
        let isOpen = true;
        const tell = (news: SendNews) => {
          if (!isOpen) return;
          try {
            controller.enqueue(encoder.encode(`${JSON.stringify(news)}\n`));
          } catch {
            isOpen = false; // the browser went away
          }
        };
        const end = (news: SendNews) => {
          tell(news);
          if (isOpen) controller.close();
          isOpen = false;
        };
        sendLanes(planId, channels, { ...author }, start, { id, isRetry, ...at, tell }).then(
          (report) => end({ kind: 'ended', report }),
          (error: unknown) => end({ kind: 'refused', ...problemAnswer(error).error }),
        );
      },
    });
    return new Response(stream, { headers: { 'content-type': LINES, 'cache-control': 'no-store, no-transform' } });
  });
