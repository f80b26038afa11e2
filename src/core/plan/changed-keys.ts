/** Keys of two maps whose values are not the same object. */
export function* changedKeys<T>(now: ReadonlyMap<string, T>, before: ReadonlyMap<string, T>): Iterable<string> {
  if (now === before) return;
  for (const [key, value] of now) if (before.get(key) !== value) yield key;
  for (const key of before.keys()) if (!now.has(key)) yield key;
}
