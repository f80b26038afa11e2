import { mkdtempSync, readFileSync, readdirSync } from 'node:fs';
import { chromium } from '@playwright/test';
import { startApp, post } from './scripts/stack.mjs';
import { CHROMIUM } from './scripts/chromium.mjs';
const cpu = () => { let t = 0; for (const p of readdirSync('/proc')) { if (!/^\d+$/.test(p)) continue; try { const c = readFileSync(`/proc/${p}/cmdline`, 'utf8'); if (!c.includes('chromium')) continue; const f = readFileSync(`/proc/${p}/stat`, 'utf8').split(') ')[1].split(' '); t += Number(f[11]) + Number(f[12]) + Number(f[13]) + Number(f[14]); } catch {} } return t / 100; };
const dataFolder = mkdtempSync('/tmp/pl-');
const app = await startApp({ dataFolder, port: 4311, registryPort: 4312, panelPort: 4313, devicePort: 4314, sapPort: 4315 });
const { plan } = await post('http://127.0.0.1:4311/api/plans/demo');
const url = `http://127.0.0.1:4311/plans/${plan.id}`;
const browser = await chromium.launch({ ...CHROMIUM, args: [...CHROMIUM.args, ...process.argv.slice(2)] });
const load = async (ctx, st) => { const page = await ctx.newPage(); await page.goto(`${url}/${st}`); await page.getByRole('main').waitFor(); if (st === 'lanes') await page.locator('[data-lane]').first().waitFor(); await page.close(); };
for (const how of ['fresh', 'shared', 'fresh', 'shared']) {
  const shared = await browser.newContext();
  const c0 = cpu(), t0 = performance.now();
  for (let n = 0; n < 10; n++) { const ctx = how === 'fresh' ? await browser.newContext() : shared; await load(ctx, n % 2 ? 'lanes' : 'gear'); if (how === 'fresh') await ctx.close(); }
  console.log(how, 'cpu per load', ((cpu() - c0) / 10).toFixed(2), 'wall', ((performance.now() - t0) / 10).toFixed(0));
  await shared.close();
}
await browser.close(); await app.stop('SIGKILL');
