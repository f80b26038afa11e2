/** Clocks by their identity. Identities are told apart within a PTP domain, as clocks of different domains do not hear each other. */
export class ClocksByIdentity {
  private readonly domains = new Map<number, Map<string, string>>();

  set(domainNumber: number, clockIdentity: string, clockId: string): void {
    let known = this.domains.get(domainNumber);
    if (known === undefined) this.domains.set(domainNumber, (known = new Map()));
    known.set(clockIdentity, clockId);
  }

  get(domainNumber: number, clockIdentity: string): string | null {
    return this.domains.get(domainNumber)?.get(clockIdentity) ?? null;
  }
}
