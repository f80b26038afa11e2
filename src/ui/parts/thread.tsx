import type { LaneState } from '@/field/lane-state';
import { STATE_WORDS } from './lane-words';

const HUE: Readonly<Record<LaneState, string>> = {
  planned: 'text-slate',
  staged: 'text-slate',
  carrying: 'text-jade',
  'one-legged': 'text-ochre',
  waiting: 'text-ochre',
  unknown: 'text-ochre',
  refused: 'text-madder',
};

function Shape({ state }: { state: LaneState }) {
  const line = { stroke: 'currentColor', strokeWidth: 2, fill: 'none' } as const;
  switch (state) {
    case 'planned':
      return <path d="M1 6h26" {...line} strokeDasharray="4 3" />;
    case 'staged':
      return (
        <>
          <path d="M1 6h20" {...line} strokeDasharray="4 3" />
          <circle cx="24" cy="6" r="3.5" fill="currentColor" />
        </>
      );
    case 'carrying':
      return (
        <>
          <path d="M1 6h26" {...line} />
          <path d="M11 1.5l7 4.5-7 4.5z" fill="currentColor" />
        </>
      );
    case 'one-legged':
      return (
        <>
          <path d="M1 3.5h26" {...line} strokeWidth={1.5} />
          <path d="M1 8.5h9M18 8.5h9" {...line} strokeWidth={1.5} />
        </>
      );
    case 'waiting':
      return (
        <>
          <path d="M1 6h15" {...line} />
          <circle cx="23" cy="6" r="3.5" {...line} strokeWidth={1.5} />
        </>
      );
    case 'unknown':
      return (
        <>
          <path d="M1 6h7M20 6h7" {...line} />
          <path d="M11.5 6h.01M16.5 6h.01" {...line} strokeWidth={3} strokeLinecap="round" />
        </>
      );
    case 'refused':
      return (
        <>
          <path d="M1 6h26" {...line} />
          <path d="M17 0.5l-6 11" {...line} strokeWidth={2.5} />
        </>
      );
  }
}

/** The state of a lane as a drawn line, always beside its word. */
export function Thread({ state, withWord = false }: { state: LaneState; withWord?: boolean }) {
  return (
    <span className={`inline-flex items-center gap-2 ${HUE[state]}`} data-state={state}>
      <svg width="28" height="12" aria-hidden="true" className="shrink-0">
        <Shape state={state} />
      </svg>
      {withWord ? <span>{STATE_WORDS[state]}</span> : null}
    </span>
  );
}
