import type { KeyboardEvent } from 'react';

/** Moving about in a drawing with the arrow keys: one Tab stop for all of it, and from there to what lies nearest in a direction. */

const ARROWS: Readonly<Record<string, readonly [x: number, y: number]>> = {
  ArrowRight: [1, 0],
  ArrowLeft: [-1, 0],
  ArrowDown: [0, 1],
  ArrowUp: [0, -1],
};

export interface Spot {
  readonly x: number;
  readonly y: number;
}

/**
 * What lies nearest in a direction; null: nothing does. What lies aside counts twice as far, so that one goes on along a row or column as
 * long as there is something.
 */
export function nearestInDirection<T extends Spot>(from: Spot, spots: readonly T[], key: string): T | null {
  const arrow = ARROWS[key];
  if (arrow === undefined) return null;
  const [dx, dy] = arrow;
  let best: T | null = null;
  let bestCost = Infinity;
  for (const spot of spots) {
    const along = (spot.x - from.x) * dx + (spot.y - from.y) * dy;
    const aside = Math.abs((spot.x - from.x) * dy) + Math.abs((spot.y - from.y) * dx);
    if (along <= 1) continue;
    const cost = along + 2 * aside;
    if (cost < bestCost) [best, bestCost] = [spot, cost];
  }
  return best;
}

interface Stop extends Spot {
  readonly element: HTMLElement | SVGElement;
}

/** Everything in the drawing that can be gone to, where it is on the screen. */
function placesIn(drawing: HTMLElement): Stop[] {
  const found = drawing.querySelectorAll<HTMLElement | SVGElement>(
    '.react-flow__node[data-rove], .react-flow__node button, .react-flow__edge',
  );
  return [...found].flatMap((element) => {
    const { left, top, width, height } = element.getBoundingClientRect();
    return width + height === 0 ? [] : [{ element, x: left + width / 2, y: top + height / 2 }];
  });
}

/** The arrow keys go to what lies nearest that way, Home and End to the first and the last. */
export function rove(e: KeyboardEvent<HTMLElement>): void {
  const isEnd = e.key === 'Home' || e.key === 'End';
  if (!(e.key in ARROWS) && !isEnd) return;
  const drawing = e.currentTarget;
  const places = placesIn(drawing);
  if (places.length === 0) return;
  e.preventDefault();
  // The canvas would move what is selected.
  e.stopPropagation();
  const inOrder = [...places].sort((a, b) => a.y - b.y || a.x - b.x);
  const here = places.find((p) => p.element === document.activeElement);
  const to =
    here === undefined || isEnd
      ? e.key === 'End'
        ? inOrder.at(-1)
        : inOrder[0]
      : nearestInDirection(
          here,
          places.filter((p) => p !== here),
          e.key,
        );
  to?.element.focus({ preventScroll: true });
}
