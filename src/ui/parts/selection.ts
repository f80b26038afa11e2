/** What is selected on a stage, as it stands in the address bar: `link:up-1`, `stream:console/1`. */
export interface Selection<K extends string> {
  readonly kind: K;
  readonly id: string;
}

export function parseSelection<K extends string>(kinds: readonly K[], text: string | null): Selection<K> | null {
  const colon = text?.indexOf(':') ?? -1;
  const kind = kinds.find((k) => k === text?.slice(0, colon));
  const id = text?.slice(colon + 1) ?? '';
  return kind === undefined || id === '' ? null : { kind, id };
}

export const selectionText = (kind: string, id: string): string => `${kind}:${id}`;
