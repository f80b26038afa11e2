import Link from 'next/link';
import { useState } from 'react';
import type { Finding } from '@/core/findings/finding';
import type { Plan } from '@/core/plan/plan';
import type { ProvenFix } from '@/core/reckon/proven-fixes';
import { budgetOfFinding } from '@/core/reckon/spenders';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { count } from '@/ui/parts/units';
import { fixWords, findingTitle } from '@/ui/parts/finding-words';
import { deviceName } from '@/ui/parts/names';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { previewBatch } from '@/ui/session/actions';
import { usePlan } from '@/ui/session/plan-store';
import { findingHref } from './stages';

const EDGE = { refusal: 'border-l-madder', caution: 'border-l-ochre', note: 'border-l-slate' } as const;
const WORD = { refusal: 'Refusal', caution: 'Caution', note: 'Note' } as const;

/** Ways out are worked out for each finding that is shown, and some have to be tried on the whole plan. */
const SHOWN_MAX = 20;

/** Of a panel: what is wrong with what it is about. Nothing where nothing is. */
export function FindingSection({ findings, plan }: { findings: readonly Finding[]; plan: Plan }) {
  if (findings.length === 0) return null;
  return (
    <>
      <PanelHeading>Findings</PanelHeading>
      <FindingList findings={findings} plan={plan} />
    </>
  );
}

export function FindingList({ findings, plan }: { findings: readonly Finding[]; plan: Plan }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const [isAll, setAll] = useState(false);
  const shown = isAll ? findings : findings.slice(0, SHOWN_MAX);
  return (
    <ul className="flex flex-col gap-2">
      {shown.map((finding) => (
        <li
          key={finding.id}
          className={`rounded border border-l-[3px] border-line ${EDGE[finding.severity]} px-2.5 py-2`}
        >
          <Link
            href={findingHref(planId, finding)}
            className="underline-offset-2 hover:underline focus-visible:outline-2 focus-visible:outline-jade"
          >
            <span className="text-dim">{WORD[finding.severity]}: </span>
            {findingTitle(plan, finding)}
          </Link>
          {budgetOfFinding(finding) === null ? null : <Spent finding={finding} plan={plan} />}
          <Fixes finding={finding} plan={plan} />
        </li>
      ))}
      {shown.length < findings.length ? (
        <li>
          <Button tone="quiet" onClick={() => setAll(true)}>
            {findings.length - shown.length} more …
          </Button>
        </li>
      ) : null}
    </ul>
  );
}

function Fixes({ finding, plan }: { finding: Finding; plan: Plan }) {
  // Ways out are worked out for the plan as it is; what only a preview brings is answered by leaving it.
  const isPreview = usePlan((s) => s.preview !== null);
  const fixes = useWorkerAnswer({
    question: 'fixesFor',
    about: [finding, plan],
    ask: (worker) => worker.fixesFor(finding),
    failed: 'The fixes could not be worked out',
    isWanted: !isPreview,
    until: 'nothing',
  });
  if (isPreview) return null;
  return <FixButtons fixes={fixes ?? []} plan={plan} />;
}

const SPENDERS_MAX = 4;

/** What a budget that is used up is spent on: the count, the limit, the dearest first. */
export function Spent({ finding, plan }: { finding: Finding; plan: Plan }) {
  const spenders =
    useWorkerAnswer({
      question: 'spenders',
      about: [finding, plan],
      ask: (worker) => worker.spenders(finding),
      failed: 'What the budget is spent on could not be worked out',
    }) ?? [];
  const budget = budgetOfFinding(finding);
  if (budget === null) return null;
  const { reason, deviceId } = budget;
  const what = reason.code === 'channel-pool' ? 'channel' : 'stream';
  return (
    <div className="mt-1 text-[12px]">
      <p>
        {deviceName(plan, deviceId)}: <b className="font-medium">{reason.wanted}</b> of{' '}
        <b className="font-medium">{count(reason.limit, what)}</b> wanted. Spent on:
      </p>
      <ul className="text-dim">
        {spenders.slice(0, SPENDERS_MAX).map((s) => (
          <li key={`${s.direction} ${s.streamId ?? s.deviceId}`} className="flex justify-between gap-2">
            <span className="truncate">
              {s.direction === 'hears' ? 'from' : 'to'} {deviceName(plan, s.deviceId)}
              {s.streamId === null ? '' : `, S${s.streamId.slice(s.streamId.lastIndexOf('/') + 1)}`}
            </span>
            <span className="font-mono">{s.streamId === null ? s.cost : `${s.channels} ch`}</span>
          </li>
        ))}
        {spenders.length > SPENDERS_MAX ? <li>and {spenders.length - SPENDERS_MAX} more</li> : null}
      </ul>
    </div>
  );
}

/** Each way out as a button that first shows what it would do. */
export function FixButtons({ fixes, plan }: { fixes: readonly ProvenFix[]; plan: Plan }) {
  return fixes.map((fix) => {
    const words = fixWords(plan, fix);
    return (
      <button
        key={words}
        type="button"
        onClick={() => void previewBatch(words, fix.commands)}
        className="mt-1.5 block w-full rounded border border-edge bg-raise px-2 py-1 text-left hover:border-jade focus-visible:outline-2 focus-visible:outline-jade"
      >
        {words} …
        {fix.refuses === undefined ? null : (
          <span className="text-madder"> refuses {count(fix.refuses, 'more lane')}</span>
        )}
      </button>
    );
  });
}
