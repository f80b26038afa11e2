import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { defineConfig } from '@playwright/test';
import { CHROMIUM } from './scripts/chromium.mjs';

/** The longest first, so that at the end no worker is left to go on alone. One that is not named here comes before them. */
const ORDER = ['clocks-patch-and-slots', 'plans-and-gear', 'first-lane', 'network', 'import', 'lanes', 'throughout'];
const SPECS = readdirSync(join(import.meta.dirname, 'e2e'))
  .filter((file) => file.endsWith('.spec.ts'))
  .map((file) => file.replace('.spec.ts', ''))
  .sort((a, b) => ORDER.indexOf(a) - ORDER.indexOf(b));

/** Debian's Chromium against the real application, database, registry and stand-ins: each file starts its own, from one demo that was filled before. */
export default defineConfig({
  testDir: 'e2e',
  globalSetup: './e2e/filled-demo.ts',
  // As many as there are cores on the machines that this has to run on.
  workers: 2,
  retries: 0,
  // A machine may be several times as slow as usual: what comes in the end is not wrong. Nothing is waited for longer than it takes.
  timeout: 300_000,
  expect: { timeout: 60_000 },
  reporter: [['list'], ['json', { outputFile: 'test-results/browser.json' }]],
  projects: SPECS.map((name) => ({ name, testMatch: `${name}.spec.ts` })),
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: CHROMIUM,
  },
});
