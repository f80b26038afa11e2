interface Region {
  readonly within: string;
  /** What takes the focus, by what is looked for first. */
  readonly focus: readonly string[];
}

/** What one works in, in any stage. */
const SHEETS = ['main [role="grid"]', 'main [role="treegrid"]', 'main [data-drawing]'];
const SHEET: Region = { within: 'main', focus: [...SHEETS, 'main [tabindex="0"]', 'main button, main input'] };

/** The parts of a page in the order in which F6 goes through them. */
const REGIONS: readonly Region[] = [
  { within: 'header', focus: ['header button'] },
  { within: 'nav[aria-label="Stages"]', focus: ['nav[aria-label="Stages"] a[aria-current]'] },
  SHEET,
  { within: 'aside', focus: ['aside [role="region"]', 'aside button'] },
  { within: 'section[aria-label="Preview"]', focus: ['section[aria-label="Preview"] button'] },
  { within: 'footer', focus: ['footer button'] },
];

/** The first that there is, by what is looked for first. */
function shown(selectors: readonly string[]): HTMLElement | null {
  for (const selector of selectors) {
    const found = document.querySelector<HTMLElement>(selector);
    if (found !== null) return found;
  }
  return null;
}

/** Moves the focus to the next part of the page that there is, or the one before. */
export function goToRegion(step: 1 | -1): void {
  const from = REGIONS.findIndex(({ within }) => document.activeElement?.closest(within) != null);
  for (let n = 1; n <= REGIONS.length; n += 1) {
    const at = (from + step * n + REGIONS.length * 2 + (from < 0 && step < 0 ? 1 : 0)) % REGIONS.length;
    const target = shown((REGIONS[at] as Region).focus);
    if (target === null) continue;
    target.focus();
    if (document.activeElement === target) return;
  }
}

/** The sheet of the stage, or what stands in its place. */
export function goToSheet(): void {
  shown(SHEET.focus)?.focus();
}

/** For how long a sheet is waited for, ms. */
const SHEET_PATIENCE_MS = 3000;

/**
 * Whoever enters a stage works in its sheet: it takes the focus once it is there, unless something in the page took it. Returns how to wait no more.
 */
export function enterSheet(): () => void {
  const isFree = () => {
    const at = document.activeElement;
    return at === null || at === document.body || at.closest('nav[aria-label="Stages"]') !== null;
  };
  const enter = () => {
    const sheet = isFree() ? shown(SHEETS) : null;
    if (sheet === null && isFree()) return;
    sheet?.focus({ preventScroll: true });
    stop();
  };
  const watch = new MutationObserver(enter);
  const patience = setTimeout(() => stop(), SHEET_PATIENCE_MS);
  const stop = () => {
    watch.disconnect();
    clearTimeout(patience);
  };
  watch.observe(document.body, { childList: true, subtree: true });
  enter();
  return stop;
}
