import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import type { PlanOverview } from '@/server/messages';
import type { PlanSummary } from '@/store/plan-store';
import { Age } from '@/ui/parts/age';
import { Button } from '@/ui/parts/controls';
import { Cautions, Refusals } from '@/ui/parts/signs';
import { count } from '@/ui/parts/units';
import { addressOf, ask } from '@/ui/session/ask';
import { SmallLoom } from './small-loom';

/** How often the state in the field is asked for while the list is looked at. */
const AGAIN_MS = 5000;

/** One plan in the list: what it is, what is wrong with it, how it is in the field, who changed it last. */
export function PlanCard({
  plan,
  onCopy,
  onRename,
  onRemove,
}: {
  plan: PlanSummary;
  onCopy: () => void;
  onRename: () => void;
  onRemove: () => void;
}) {
  const { data, error } = useQuery({
    queryKey: ['overview', plan.id, plan.revision],
    queryFn: () => ask('GET /api/plans/:planId/overview', { planId: plan.id }),
    refetchInterval: AGAIN_MS,
    placeholderData: (previous) => previous,
  });
  return (
    <li aria-label={plan.name} className="grid grid-cols-1 gap-x-4 border-b border-line py-3 sm:grid-cols-[1fr_200px]">
      <div className="min-w-0">
        <p className="flex items-center gap-2">
          <Link
            href={`/plans/${plan.id}/lanes`}
            title={plan.name}
            className="truncate text-[15px] font-medium underline-offset-2 hover:underline focus-visible:outline-2 focus-visible:outline-jade"
          >
            {plan.name}
          </Link>
          {data === undefined ? null : (
            <>
              <Refusals n={data.refusals} />
              <Cautions n={data.cautions} />
            </>
          )}
        </p>
        {error !== null ? (
          <p role="alert" className="text-madder">
            {error.message}
          </p>
        ) : data === undefined ? (
          <p className="text-dim">Calculating …</p>
        ) : (
          <Facts overview={data} />
        )}
        <p className="text-[12px] text-dim">
          <Age at={plan.changedAt} what="Changed " />
          {data?.changedBy ? (
            <>
              {' '}
              by {data.changedBy.name}: “{data.changedBy.title}”
            </>
          ) : null}
        </p>
        <p className="mt-1 -ml-2.5">
          <a
            href={addressOf('GET /api/plans/:planId/file', { planId: plan.id })}
            download
            aria-label={`Export ${plan.name} as a file`}
            className="inline-flex h-7 items-center rounded px-2.5 text-dim hover:bg-raise hover:text-ink focus-visible:outline-2 focus-visible:outline-jade"
          >
            Export
          </a>
          <Button tone="quiet" aria-label={`Copy ${plan.name}`} onClick={onCopy}>
            Copy
          </Button>
          <Button tone="quiet" aria-label={`Rename ${plan.name}`} onClick={onRename}>
            Rename
          </Button>
          <Button tone="quiet" aria-label={`Remove ${plan.name}`} onClick={onRemove}>
            Remove
          </Button>
        </p>
      </div>
      <div className="hidden self-center sm:block">
        {data === undefined ? null : <SmallLoom ribbons={data.ribbons} name={plan.name} />}
      </div>
    </li>
  );
}

function Facts({ overview: { places, devices, lanes, field } }: { overview: PlanOverview }) {
  return (
    <p>
      {count(places, 'place')}, {count(devices, 'device')}, {count(lanes, 'lane')}
      {field === null ? null : (
        <span className={field.offline > 0 ? 'text-ochre' : 'text-dim'}>
          {' · '}
          {field.answering === 0 && field.offline === 0
            ? 'on paper'
            : `${field.answering} of ${field.followed} answering${field.offline > 0 ? `, ${field.offline} offline` : ''}`}
        </span>
      )}
    </p>
  );
}
