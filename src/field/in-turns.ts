/** So many devices are sent to at the same time. */
const AT_ONCE = 16;

/** Runs over items, a few at the same time, in their order. */
export async function inTurns<T>(items: readonly T[], run: (item: T) => Promise<unknown>): Promise<void> {
  let next = 0;
  const turn = async () => {
    while (next < items.length) await run(items[next++] as T);
  };
  await Promise.all(Array.from({ length: Math.min(AT_ONCE, items.length) }, turn));
}
