/** Seconds between slips of one sample where two free clocks differ by so many parts per million: 1 / (rate × d × 10⁻⁶). */
export function slipIntervalSeconds(rateHz: number, partsPerMillion: number): number {
  return 1 / (rateHz * partsPerMillion * 1e-6);
}

/**
 * As `takeOverSeconds`, from the loss on: the last announce came up to one interval before it.
 */
export function takeOverSecondsFromLoss(
  logAnnounceInterval: number,
  announceTimeout: number,
): { from: number; to: number } {
  const { from, to } = takeOverSeconds(logAnnounceInterval, announceTimeout);
  return { from: from - 2 ** logAnnounceInterval, to };
}

/**
 * When take-over begins after the last announce of a grandmaster, in seconds (IEEE 1588-2008 clause 9.2.6.11): time-out ×
 * announce interval, and up to one interval more.
 */
export function takeOverSeconds(logAnnounceInterval: number, announceTimeout: number): { from: number; to: number } {
  const interval = 2 ** logAnnounceInterval;
  return { from: announceTimeout * interval, to: (announceTimeout + 1) * interval };
}
