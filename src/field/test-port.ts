/**
 * The port that this process uses where a test names one: two runs on one machine do not meet. Different names give different ports, below those
 * that the system gives out.
 */
export const portOf = (name: number): number => 11_000 + ((name * 7919 + process.pid * 104_729) % 21_000);
