import type { Clock } from '../clocks/best-master';
import { parseClockIdentity } from '../clocks/dataset';
import { isRaw, type Raw } from './raw';

/** A case for the command line: clocks with their figures and segments, and which of them are lost. */
type ClockCaseResult =
  | {
      readonly ok: true;
      readonly clocks: readonly Clock[];
      readonly lost: ReadonlySet<string>;
      /** Identities as the case writes them, by the form in which they are compared. */
      readonly writtenAs: ReadonlyMap<string, string>;
    }
  | { readonly ok: false; readonly problems: readonly { readonly at: string; readonly problem: string }[] };

/** IEEE 1588-2008 clause 7.6.2 and table 11: the ranges of the fields of a clock. */
const RANGES = {
  priority1: [0, 255],
  clockClass: [0, 255],
  clockAccuracy: [0, 255],
  offsetScaledLogVariance: [0, 65_535],
  priority2: [0, 255],
  domainNumber: [0, 255],
} as const;

export function readClockCase(content: string): ClockCaseResult {
  let document: unknown;
  try {
    document = JSON.parse(content);
  } catch (error) {
    return { ok: false, problems: [{ at: '/', problem: `not JSON: ${(error as Error).message}` }] };
  }
  const list = isRaw(document) ? document['clocks'] : undefined;
  if (!Array.isArray(list)) return { ok: false, problems: [{ at: '/clocks', problem: 'is not a list' }] };
  const problems: { at: string; problem: string }[] = [];
  const ids = new Set<string>();
  const identities = new Set<string>();
  const writtenAs = new Map<string, string>();
  const clocks = list.map((raw: unknown, n): Clock => {
    const at = `/clocks/${n}`;
    const wrong = (field: string, problem: string) => problems.push({ at: `${at}/${field}`, problem });
    const source = isRaw(raw) ? raw : {};
    const number = (field: keyof typeof RANGES): number => {
      const [from, to] = RANGES[field];
      const value = source[field];
      if (typeof value !== 'number' || !Number.isInteger(value) || value < from || value > to) {
        wrong(field, `${JSON.stringify(value)} is not a whole number from ${from} to ${to}`);
        return from;
      }
      return value;
    };
    const id = source['id'];
    if (typeof id !== 'string' || id === '') wrong('id', 'is not a name');
    else if (ids.has(id)) wrong('id', `${id} is listed twice`);
    else ids.add(id);
    const written = source['clockIdentity'];
    const clockIdentity = typeof written === 'string' ? parseClockIdentity(written) : null;
    const domainNumber = number('domainNumber');
    if (clockIdentity === null) wrong('clockIdentity', `${JSON.stringify(written)} is not eight bytes in hexadecimal`);
    else {
      const key = `${domainNumber} ${clockIdentity}`;
      if (identities.has(key)) wrong('clockIdentity', `${String(written)} is listed twice in domain ${domainNumber}`);
      identities.add(key);
      writtenAs.set(clockIdentity, String(written));
    }
    const clientOnly = source['clientOnly'] ?? false;
    if (typeof clientOnly !== 'boolean') wrong('clientOnly', 'is not true or false');
    const ports = source['ports'];
    const isList = Array.isArray(ports) && ports.every((p) => typeof p === 'string' && p !== '');
    if (!isList) wrong('ports', 'is not a list of segment names');
    else if (ports.length === 0) wrong('ports', 'is empty: a clock has at least one port');
    else if (new Set(ports).size !== ports.length) wrong('ports', 'names a segment twice');
    return {
      id: String(id),
      clockIdentity: clockIdentity ?? '',
      priority1: number('priority1'),
      clockClass: number('clockClass'),
      clockAccuracy: number('clockAccuracy'),
      offsetScaledLogVariance: number('offsetScaledLogVariance'),
      priority2: number('priority2'),
      domainNumber,
      clientOnly: clientOnly === true,
      ports: isList ? (ports as string[]) : [],
    };
  });
  const lostList = (document as Raw)['lost'] ?? [];
  const lost = new Set<string>();
  if (!Array.isArray(lostList)) problems.push({ at: '/lost', problem: 'is not a list' });
  else {
    lostList.forEach((id: unknown, n) => {
      if (typeof id === 'string' && ids.has(id)) lost.add(id);
      else problems.push({ at: `/lost/${n}`, problem: `${JSON.stringify(id)} is none of the clocks` });
    });
  }
  return problems.length > 0 ? { ok: false, problems } : { ok: true, clocks, lost, writtenAs };
}
