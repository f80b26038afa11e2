import type { Clock } from './best-master';
import { COMPARED_FIELDS, type ComparedField } from './dataset';
import { mayLead } from './best-master';

/** The comparison of two clocks that both might lead, field by field. */
export interface ClockComparison {
  readonly aId: string;
  readonly bId: string;
  readonly fields: readonly ComparedLine[];
  /** The first field in which they differ; null for one clock held against itself. */
  readonly decidedBy: ComparedField | null;
  readonly winnerId: string;
  /** Settled before any field is read: one of them only follows, or they are in different domains. */
  readonly before: 'a-only-follows' | 'b-only-follows' | 'other-domain' | null;
}

interface ComparedLine {
  readonly field: ComparedField;
  /** Numbers as they are; identities as text, empty where the plan does not know them. */
  readonly a: number | string;
  readonly b: number | string;
  readonly role: 'same' | 'decides' | 'not-asked';
}

/** An identity that stands in for an unknown one is no value to show. */
const shown = (value: number | string) => (typeof value === 'string' && value.startsWith('~') ? '' : value);

export function compareClocks(a: Clock, b: Clock): ClockComparison {
  let decidedBy: ComparedField | null = null;
  const fields = COMPARED_FIELDS.map((field): ComparedLine => {
    const isDecided = decidedBy !== null;
    const differs = a[field] !== b[field];
    if (!isDecided && differs) decidedBy = field;
    return {
      field,
      a: shown(a[field]),
      b: shown(b[field]),
      role: isDecided ? 'not-asked' : differs ? 'decides' : 'same',
    };
  });
  const before =
    a.domainNumber !== b.domainNumber
      ? 'other-domain'
      : !mayLead(a)
        ? 'a-only-follows'
        : !mayLead(b)
          ? 'b-only-follows'
          : null;
  const field = decidedBy as ComparedField | null;
  const aWins =
    before === 'a-only-follows' ? false : before === 'b-only-follows' || field === null || a[field] < b[field];
  return { aId: a.id, bId: b.id, fields, decidedBy: field, winnerId: aWins ? a.id : b.id, before };
}
