import { useSyncExternalStore } from 'react';

/** As Tailwind's `max-md`: a phone. */
const QUERY = '(max-width: 767px)';

function subscribe(onChange: () => void): () => void {
  const query = window.matchMedia(QUERY);
  query.addEventListener('change', onChange);
  return () => query.removeEventListener('change', onChange);
}

/** Whether there is room for cards only: rows of a sheet stand in two lines then. */
export const useIsNarrow = (): boolean =>
  useSyncExternalStore(
    subscribe,
    () => window.matchMedia(QUERY).matches,
    () => false,
  );

/** The height of a row of two lines, and of three, in pixels. */
export const CARD_HEIGHT = 48;
export const TALL_CARD_HEIGHT = 70;
