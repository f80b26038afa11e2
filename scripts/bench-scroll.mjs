// `npm run bench:scroll`: scrolls the lane sheet of a plan with about 20 000 receiver channels from top to bottom in
// Debian's Chromium and prints every long task (over 50 ms) that the browser saw meanwhile.
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { build } from './build.mjs';
import { CHROMIUM } from './chromium.mjs';
import { post, startApp } from './stack.mjs';

await build();
const dataFolder = mkdtempSync(join(tmpdir(), 'jade-lane-scroll-'));
const options = { dataFolder, port: 3392, registryPort: 1 };
const app = await startApp(options);
const url = `http://127.0.0.1:${options.port}`;
const plan = await post(`${url}/api/plans/generate`, { devices: 730, seed: 7 });
const browser = await chromium.launch(CHROMIUM);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto(`${url}/plans/${plan.id}/lanes`);
const grid = page.getByRole('grid', { name: 'Lanes' });
await grid.waitFor({ timeout: 60_000 });
await page.waitForTimeout(3000);
const rows = Number(await grid.getAttribute('aria-rowcount')) - 1;

/** Scrolls by so many pixels in every frame and reports what the browser saw. */
const scroll = (pixels) =>
  grid.evaluate(async (element, by) => {
    element.scrollTop = 0;
    await new Promise((resolve) => setTimeout(resolve, 500));
    const long = [];
    const observer = new PerformanceObserver((list) =>
      long.push(...list.getEntries().map((e) => Math.round(e.duration))),
    );
    observer.observe({ entryTypes: ['longtask'] });
    const frames = [];
    let last = performance.now();
    for (let step = 0; step < 400; step += 1) {
      element.scrollTop += by;
      await new Promise((resolve) => requestAnimationFrame(resolve));
      const now = performance.now();
      frames.push(now - last);
      last = now;
    }
    await new Promise((resolve) => setTimeout(resolve, 300));
    observer.disconnect();
    frames.sort((x, y) => x - y);
    return { long, median: frames[200], worst: frames[frames.length - 1], top: element.scrollTop };
  }, pixels);

console.log(`${rows} rows of the lane sheet, 400 frames of scrolling each:`);
for (const [name, pixels] of [
  ['wheel, 300 px a frame', 300],
  ['scrollbar, 1 200 px a frame', 1200],
]) {
  const { long, median, worst, top } = await scroll(pixels);
  console.log(
    `  ${name}: ${Math.round(top)} px, frame median ${median.toFixed(1)} ms, worst ${worst.toFixed(1)} ms, ` +
      `long tasks over 50 ms: ${long.length}${long.length > 0 ? ` (${long.join(', ')} ms)` : ''} (aim: 0)`,
  );
}
await browser.close();
await app.stop();
rmSync(dataFolder, { recursive: true, force: true });
