// `npm run bench:drawing`: pans and zooms the network drawing of a plan with 2,000 devices and 200 switches in Debian's
// Chromium, folded as it opens and with its halls opened, and prints every long task that the browser saw meanwhile.
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { build } from './build.mjs';
import { CHROMIUM } from './chromium.mjs';
import { post, startApp } from './stack.mjs';

await build();
const dataFolder = mkdtempSync(join(tmpdir(), 'jade-lane-drawing-'));
const options = { dataFolder, port: 3392, registryPort: 1 };
const app = await startApp(options);
const url = `http://127.0.0.1:${options.port}`;
const plan = await post(`${url}/api/plans/generate`, { devices: 2000, seed: 7 });
const browser = await chromium.launch(CHROMIUM);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const arranged = () => page.locator('[data-drawing=arranged]').waitFor({ timeout: 120_000 });

async function watch(name, act) {
  await page.evaluate(() => {
    window.long = [];
    window.observer = new PerformanceObserver((list) =>
      window.long.push(...list.getEntries().map((e) => Math.round(e.duration))),
    );
    window.observer.observe({ entryTypes: ['longtask'] });
  });
  await act();
  await page.waitForTimeout(300);
  const long = await page.evaluate(() => {
    window.observer.disconnect();
    return window.long;
  });
  const over = long.filter((ms) => ms > 100);
  console.log(
    `  ${name}: ${long.length} tasks over 50 ms${long.length > 0 ? ` (longest ${Math.max(...long)} ms)` : ''}, over 100 ms: ${over.length} (aim: 0)`,
  );
}

async function panAndZoom() {
  const box = await page.locator('.react-flow__pane').boundingBox();
  const x = box.x + box.width / 2;
  const y = box.y + 40;
  for (let round = 0; round < 4; round += 1) {
    await page.mouse.move(x, y);
    await page.mouse.down();
    for (let step = 0; step < 40; step += 1) await page.mouse.move(x + Math.sin(step / 6) * 260, y + step * 5);
    await page.mouse.up();
    for (let step = 0; step < 30; step += 1) await page.mouse.wheel(0, round % 2 === 0 ? -60 : 60);
  }
}

try {
  const started = Date.now();
  await page.goto(`${url}/plans/${plan.id}/network`);
  await arranged();
  const boxes = () => page.locator('.react-flow__node').count();
  console.log(`2000 devices, drawn after ${((Date.now() - started) / 1000).toFixed(1)} s with ${await boxes()} boxes:`);
  await watch('pan and zoom, as it opens', panAndZoom);
  // Open two halls: twenty rooms with their switches.
  for (const name of ['Hall 1', 'Hall 2']) {
    await page.locator('.react-flow__controls-fitview').click();
    await page.waitForTimeout(400);
    await page.locator('.react-flow__node').filter({ hasText: name }).first().click();
    await page.waitForTimeout(200);
    await arranged();
  }
  console.log(`  two halls opened: ${await boxes()} boxes`);
  await watch('pan and zoom, two halls opened', panAndZoom);
} finally {
  await browser.close();
  await app.stop();
  rmSync(dataFolder, { recursive: true, force: true });
}
