import type { SendNews } from './messages';
import { problemAnswer } from './respond';

const LINES = 'application/x-ndjson';

/**
 * Answers with what became of a send. Who asks for lines of JSON gets a line for each step of each device as it goes. A browser that goes away does
 * not stop what has begun.
 */
export async function answerAsItGoes<Report>(
  request: Request,
  run: (tell?: (news: SendNews<Report>) => void) => Promise<Report>,
): Promise<Report | Response> {
  if (request.headers.get('accept') !== LINES) return run();
  const encoder = new TextEncoder();
  const stream = new ReadableStream<Uint8Array>({
    start(controller) {
      let isOpen = true;
      const tell = (news: SendNews<Report>) => {
        if (!isOpen) return;
        try {
          controller.enqueue(encoder.encode(`${JSON.stringify(news)}\n`));
        } catch {
          isOpen = false; // the browser went away
        }
      };
      const end = (news: SendNews<Report>) => {
        tell(news);
        if (isOpen) controller.close();
        isOpen = false;
      };
      run(tell).then(
        (report) => end({ kind: 'ended', report }),
        (error: unknown) => end({ kind: 'refused', ...problemAnswer(error).error }),
      );
    },
  });
  return new Response(stream, { headers: { 'content-type': LINES, 'cache-control': 'no-store, no-transform' } });
}
