/** The parts of a page in the order in which F6 goes through them: what of each takes the focus. */
const REGIONS = [
  ['header button'],
  ['nav[aria-label="Stages"] a[aria-current]'],
  ['main [role="grid"]', 'main [tabindex="0"]', 'main button, main input'],
  ['aside [role="region"]', 'aside button'],
  ['section[aria-label="Preview"] button'],
  ['footer button'],
] as const;
const SHEET = 2;

/** The first that there is, by what is looked for first. */
function shown(selectors: readonly string[]): HTMLElement | null {
  for (const selector of selectors) {
    const found = document.querySelector<HTMLElement>(selector);
    if (found !== null) return found;
  }
  return null;
}

/** In which part the focus is; -1: in none. */
function regionOf(element: Element | null): number {
  const parts = ['header', 'nav[aria-label="Stages"]', 'main', 'aside', 'section[aria-label="Preview"]', 'footer'];
  return parts.findIndex((part) => element?.closest(part) != null);
}

/** Moves the focus to the next part of the page that there is, or the one before. */
export function goToRegion(step: 1 | -1): void {
  const from = regionOf(document.activeElement);
  for (let n = 1; n <= REGIONS.length; n += 1) {
    const at = (from + step * n + REGIONS.length * 2 + (from < 0 && step < 0 ? 1 : 0)) % REGIONS.length;
    const target = shown(REGIONS[at] as readonly string[]);
    if (target === null) continue;
    target.focus();
    if (document.activeElement === target) return;
  }
}

/** The sheet of the stage, or what stands in its place. */
export function goToSheet(): void {
  shown(REGIONS[SHEET])?.focus();
}
