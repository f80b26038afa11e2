/** How things are called in a table for people: by name, or by id where another has the name (or it as its id), or there is none. */
export class Names {
  private readonly nameById = new Map<string, string>();
  private readonly idsByName = new Map<string, string[]>();

  constructor(things: Iterable<{ readonly id: string; readonly name: string }>) {
    for (const { id, name } of things) {
      this.nameById.set(id, name);
      const like = name.trim().toLowerCase();
      const ids = this.idsByName.get(like);
      if (ids === undefined) this.idsByName.set(like, [id]);
      else ids.push(id);
    }
  }

  nameOf(id: string): string {
    const name = this.nameById.get(id) ?? '';
    return name.trim() !== '' && this.idOf(name) === id ? name : id;
  }

  /** What has the name or the id; `several` where a name does not decide. */
  idOf(text: string): string | 'none' | 'several' {
    const wanted = text.trim();
    if (this.nameById.has(wanted)) return wanted;
    const ids = this.idsByName.get(wanted.toLowerCase()) ?? [];
    return ids.length === 0 ? 'none' : ids.length > 1 ? 'several' : (ids[0] as string);
  }
}
