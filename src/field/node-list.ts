import type { NodeReading } from './nodes-client';

/** The nodes that are read by their addresses: those that were set at the start, and those that people typed in. */
export class NodeList {
  private readonly readings = new Map<string, NodeReading>();
  private readonly listeners = new Set<() => void>();
  private typed: readonly string[] = [];

  /** @param fixed addresses up to the port, as the typed ones */
  constructor(readonly fixed: readonly string[] = []) {}

  urls(): readonly string[] {
    return [...new Set([...this.fixed, ...this.typed])];
  }

  setTyped(urls: readonly string[]): void {
    this.typed = urls;
    const all = new Set(this.urls());
    for (const url of this.readings.keys()) if (!all.has(url)) this.readings.delete(url);
    for (const tell of this.listeners) tell();
  }

  /** Called when other nodes are to be read. */
  onChange(tell: () => void): void {
    this.listeners.add(tell);
  }

  note(url: string, reading: NodeReading): void {
    if (this.urls().includes(url)) this.readings.set(url, reading);
  }

  /** How it was the last time; null: it was not read yet. */
  reading(url: string): NodeReading | null {
    return this.readings.get(url) ?? null;
  }
}
