/** What a thing is called in a list for people: its name, or its id where the name would not find it again. */
export function spoken(things: Iterable<{ readonly id: string; readonly name: string }>): ReadonlyMap<string, string> {
  const all = [...things];
  const plain = (name: string) => name.trim().toLowerCase();
  const count = new Map<string, number>();
  for (const { id, name } of all) {
    for (const text of new Set([plain(name), plain(id)])) count.set(text, (count.get(text) ?? 0) + 1);
  }
  return new Map(
    all.map(({ id, name }) => [id, name !== '' && name === name.trim() && count.get(plain(name)) === 1 ? name : id]),
  );
}
