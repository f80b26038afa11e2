// How Debian's Chromium is started, for the browser tests, the pictures and the benchmarks.
import { existsSync } from 'node:fs';

/** The one without a window of its own loads a page with half the work of the whole browser; its pages are the same. */
const HEADLESS = '/usr/bin/chromium-headless-shell';
const WHOLE = '/usr/bin/chromium';

/** Debian's package of it. */
export const CHROMIUM_PACKAGE = 'chromium-headless-shell';

/** Which of the two is on this machine, or null. */
export const installedChromium = () => [HEADLESS, WHOLE].find((path) => existsSync(path)) ?? null;

export const isChromiumAsWanted = () => existsSync(HEADLESS);

export const CHROMIUM = {
  executablePath: installedChromium() ?? HEADLESS,
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
};
