/** TAI is 37 s ahead of UTC since 2017. Times on NMOS interfaces are `<seconds>:<nanoseconds>` of TAI. */
const TAI_AHEAD_S = 37;
let last = 0n;

/** Now, never the same twice, so that it serves as a resource version too. */
export function taiNow(): string {
  let now = (BigInt(Date.now()) + BigInt(TAI_AHEAD_S * 1000)) * 1_000_000n;
  if (now <= last) now = last + 1n;
  last = now;
  return formatTai(now);
}

export function formatTai(nanoseconds: bigint): string {
  return `${nanoseconds / 1_000_000_000n}:${nanoseconds % 1_000_000_000n}`;
}

/** Nanoseconds of a TAI time or duration, or null when the text is not one. */
export function parseTai(text: unknown): bigint | null {
  if (typeof text !== 'string') return null;
  const match = /^(\d+):(\d+)$/.exec(text);
  return match ? BigInt(match[1] as string) * 1_000_000_000n + BigInt(match[2] as string) : null;
}

/** A time of day in ms since 1970 (UTC) as TAI, in nanoseconds. */
export const taiOf = (ms: number): bigint => (BigInt(Math.round(ms)) + BigInt(TAI_AHEAD_S * 1000)) * 1_000_000n;

/** Milliseconds from now until a TAI time; negative when it has gone by. */
export function msUntilTai(nanoseconds: bigint): number {
  return Number(nanoseconds / 1_000_000n) - TAI_AHEAD_S * 1000 - Date.now();
}
