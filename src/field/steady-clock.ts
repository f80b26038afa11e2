/**
 * Milliseconds since 1970 by a clock that only goes forward: what time it was when the process began, and how long it runs since. Whoever sets the
 * clock of the computer makes nothing older or younger by it. For times of day there is `Date.now()`.
 */
export const steadyNow = (): number => performance.timeOrigin + performance.now();
