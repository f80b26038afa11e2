// The demo with five browsers that people work in, for a long time: does the server grow?
import { chromium } from '@playwright/test';
import { CHROMIUM } from '../chromium.mjs';
import { fillDemo, startApp, startStandins } from '../stack.mjs';
import { pause, usageOf } from './measure.mjs';

const STAGES = ['lanes', 'gear', 'network', 'clocks', 'lanes'];

export async function memory(options, { minutes = 60 } = {}) {
  const standins = await startStandins(options);
  const app = await startApp(options);
  const base = `http://127.0.0.1:${options.port}`;
  const surface = await chromium.launch(CHROMIUM);
  try {
    const plan = await fillDemo(options);
    for (const stage of STAGES) {
      const page = await surface.newPage();
      await page.goto(`${base}/plans/${plan.id}/${stage}`);
    }
    const author = { id: 'editor', name: 'Editor' };
    const samples = [];
    const end = Date.now() + minutes * 60_000;
    for (let n = 0; Date.now() < end; n += 1) {
      const { revision } = await (await fetch(`${base}/api/plans/${plan.id}?author=x`)).json();
      const commands = [
        {
          kind: 'label-channels',
          deviceId: 'dome-amp-5',
          side: 'receive',
          labels: [{ channel: 1 + (n % 8), label: `Label ${n}` }],
        },
      ];
      const body = JSON.stringify({ author, baseRevision: revision, title: 'label', commands });
      await fetch(`${base}/api/plans/${plan.id}/batch`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body,
      });
      if (n % 10 === 0) samples.push(usageOf(app.child.pid).megabytes);
      await pause(3000);
    }
    const mean = (list) => list.reduce((a, b) => a + b, 0) / Math.max(list.length, 1);
    const quarter = Math.max(1, Math.floor(samples.length / 4));
    return [
      ['minutes', String(minutes)],
      ['memory of the server, second quarter', `${mean(samples.slice(quarter, 2 * quarter)).toFixed(0)} MB`],
      ['memory of the server, last quarter', `${mean(samples.slice(-quarter)).toFixed(0)} MB`],
      ['at most', `${Math.max(...samples).toFixed(0)} MB`],
    ];
  } finally {
    await surface.close();
    await app.stop('SIGKILL');
    await standins.stop('SIGKILL');
  }
}
