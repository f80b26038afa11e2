import { mkdtempSync, mkdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { CHROMIUM } from './chromium.mjs';
import { fillDemo, startApp, startStandins } from './stack.mjs';
mkdirSync('/tmp/shots', { recursive: true });
const options = { dataFolder: mkdtempSync(join(tmpdir(), 'jl-')), port: 3397, registryPort: 18_960, panelPort: 18_961, devicePort: 18_962, expiryMs: 3000, heartbeatMs: 1000, isQuiet: true };
const standins = await startStandins(options);
const app = await startApp(options);
const plan = await fillDemo(options);
const at = (p) => `http://127.0.0.1:${options.port}/plans/${plan.id}/${p}`;
const browser = await chromium.launch(CHROMIUM);
async function shot(name, theme, path, act = async () => {}, size = { width: 1280, height: 800 }) {
  const c = await browser.newContext({ viewport: size, colorScheme: theme });
  const page = await c.newPage();
  page.on('pageerror', (e) => console.log(name, 'ERR', e.message));
  page.setDefaultTimeout(6000);
  await page.goto(at(path)); await page.waitForTimeout(2500);
  await act(page).catch((e) => console.log(name, e.message.slice(0, 300)));
  await page.waitForTimeout(700);
  await page.screenshot({ path: `/tmp/shots/${name}.png` });
  await c.close();
}
const only = process.argv[2];
const list = {
  time: ['dark', 'clocks?sel=device:north-master'],
  drill: ['light', 'clocks?lost=device:north-master'],
  rates: ['dark', 'clocks?view=rates&sel=group:house', async (p) => { await p.getByLabel('Rate, kHz').selectOption('96000'); await p.getByRole('button', { name: 'See what follows …' }).click(); }],
  references: ['light', 'clocks?view=references&sel=reference:gnss-north'],
  proposal: ['light', 'clocks', async (p) => { await p.getByRole('button', { name: 'Propose a clock plan …' }).click(); }],
  whole: ['dark', 'clocks'],
  follower: ['light', 'clocks?sel=device:yard-converter', async () => {}, { width: 1920, height: 1080 }],
};
for (const [name, args] of Object.entries(list)) if (!only || only.split(',').includes(name)) await shot(name, ...args);
await browser.close(); await app.stop(); await standins.stop(); process.exit(0);
