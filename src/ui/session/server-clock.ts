/** What the server said last that time it is, by its clock that only goes forward, and when this page heard it, by its own. */
let told = { at: Date.now(), heardAt: performance.now() };

export function noteServerTime(at: number): void {
  told = { at, heardAt: performance.now() };
}

/** What time it is at the server: the ages of readings are counted from it, whatever clock this computer has. */
export const serverNow = (): number => told.at + performance.now() - told.heardAt;
