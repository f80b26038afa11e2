/** What this browser keeps for the next visit. One that keeps nothing, as it is told not to, holds it until the page is left. */

const held = new Map<string, string>();

export function keptText(key: string): string | null {
  try {
    return localStorage.getItem(key) ?? held.get(key) ?? null;
  } catch {
    return held.get(key) ?? null;
  }
}

/** Returns whether it is there at the next visit. */
export function keepText(key: string, text: string): boolean {
  held.set(key, text);
  try {
    localStorage.setItem(key, text);
    held.delete(key);
    return true;
  } catch {
    return false;
  }
}
