import type { ClockLoss } from '@/core/clocks/take-over';

/** What can be selected on the clock stage. */
export const CLOCK_KINDS = ['device', 'group', 'reference'] as const;
export type ClockKind = (typeof CLOCK_KINDS)[number];

const LOST = { device: 'deviceIds', link: 'linkIds', reference: 'referenceIds' } as const;
export type LostKind = keyof typeof LOST;

/** What a drill takes away, as it stands in the address bar: `device:north-master,reference:gnss`. Null: no drill. */
export function parseLoss(text: string | null): ClockLoss | null {
  const loss = { deviceIds: [] as string[], linkIds: [] as string[], referenceIds: [] as string[] };
  let isAny = false;
  for (const part of (text ?? '').split(',')) {
    const colon = part.indexOf(':');
    const field = LOST[part.slice(0, colon) as LostKind];
    const id = part.slice(colon + 1);
    if (colon < 0 || field === undefined || id === '' || loss[field].includes(id)) continue;
    loss[field].push(id);
    isAny = true;
  }
  return isAny ? loss : null;
}

export function lossText(loss: ClockLoss): string | null {
  const parts = [
    ...loss.deviceIds.map((id) => `device:${id}`),
    ...loss.linkIds.map((id) => `link:${id}`),
    ...loss.referenceIds.map((id) => `reference:${id}`),
  ];
  return parts.length === 0 ? null : parts.join(',');
}

export function withLost(loss: ClockLoss | null, kind: LostKind, id: string): ClockLoss {
  const start = loss ?? { deviceIds: [], linkIds: [], referenceIds: [] };
  const field = LOST[kind];
  return start[field].includes(id) ? start : { ...start, [field]: [...start[field], id] };
}

export function withoutLost(loss: ClockLoss, kind: LostKind, id: string): ClockLoss {
  const field = LOST[kind];
  return { ...loss, [field]: loss[field].filter((other) => other !== id) };
}
