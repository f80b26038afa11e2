import { useSyncExternalStore } from 'react';

const never = () => () => {};

/**
 * What only the browser knows, or `before` as long as the page stands as the server wrote it: nothing on it answers then. What is pressed or typed in
 * those moments would be lost, so whatever takes either and stands at once is better shown after them.
 */
export const useOfBrowser = <T>(read: () => T, before: T): T => useSyncExternalStore(never, read, () => before);

const yes = () => true;

/** Whether the page answers already. */
export const useInBrowser = (): boolean => useOfBrowser(yes, false);
