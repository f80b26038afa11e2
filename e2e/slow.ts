import type { BrowserContext } from '@playwright/test';

/**
 * For looking for stories that only pass where everything is quick: `SLOW_MS=1200 npx playwright test` lets a page that has been loaded stand for that
 * long before it answers, and each request take up to as long. Stories that wait for states pass all the same.
 */
const SLOW_MS = Number(process.env['SLOW_MS'] ?? 0);

export async function slowDown(context: BrowserContext): Promise<void> {
  if (SLOW_MS === 0) return;
  await context.addInitScript((ms) => {
    // What React begins with is read from a stream.
    const { prototype } = ReadableStreamDefaultReader;
    const { read } = prototype;
    const until = performance.now() + ms;
    prototype.read = async function (this: ReadableStreamDefaultReader) {
      const left = until - performance.now();
      if (left > 0) await new Promise((resolve) => setTimeout(resolve, left));
      return read.call(this);
    };
  }, SLOW_MS);
  await context.route('**/api/**', async (route) => {
    await new Promise((resolve) => setTimeout(resolve, Math.random() * SLOW_MS));
    // The page may have gone meanwhile.
    await route.continue().catch(() => undefined);
  });
}
