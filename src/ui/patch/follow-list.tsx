import { useState } from 'react';
import type { Plan } from '@/core/plan/plan';
import type { Misfit, Direction } from '@/core/signal/follow';
import type { HopKind } from '@/core/signal/hop';
import type { SignalEnd } from '@/core/signal/signal-end';
import { ViewTabs } from '@/ui/parts/view-tabs';
import { TAP_WORDS, levelWords, misfitWords, printedNumber, terminalChannel } from '@/ui/parts/signal-words';
import { terminalAt } from '@/core/signal/signal-end';
import { channelRuns, kHz, time } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { shortReason } from '@/ui/parts/lane-words';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import type { View } from '@/ui/session/plan-store';
import type { Followed, FollowedStep } from '@/workers/patch-view';

const HOP_WORDS: Readonly<Record<HopKind, string>> = {
  patch: 'patched',
  normal: 'normalled',
  send: 'send',
  mix: 'mixed',
  lane: 'lane',
  cable: 'cable',
  slot: 'slot bus',
};

function misfitText(misfit: Misfit): string {
  switch (misfit.code) {
    case 'lane-refused':
      return `the lane is refused: ${shortReason(misfit.reason)}`;
    case 'loop':
      return 'back where it was: a feedback loop';
    case 'fed-by-nothing':
      return 'nothing feeds it';
    default:
      return misfitWords(misfit);
  }
}

/** Like channels that follow on one step are told together. */
interface Branch {
  readonly index: number;
  readonly step: FollowedStep;
  readonly depth: number;
  /** The channels of the terminal that are told with it, in order. */
  readonly alike: readonly number[];
}

function branchesOf({ steps }: Followed): Branch[] {
  const children = new Map<number, number[]>();
  steps.forEach((s, n) => {
    if (s.after !== null) children.set(s.after, [...(children.get(s.after) ?? []), n]);
  });
  const branches: Branch[] = [];
  const visit = (index: number, depth: number, alike: readonly number[]) => {
    const step = steps[index] as FollowedStep;
    branches.push({ index, step, depth, alike });
    const groups = new Map<string, number[]>();
    for (const child of children.get(index) ?? []) {
      const s = steps[child] as FollowedStep;
      // What does not fit is told by itself.
      const key = s.misfit === null ? `${s.deviceId}|${s.terminalId}|${s.via}|${s.tap}` : `${child}`;
      groups.set(key, [...(groups.get(key) ?? []), child]);
    }
    for (const group of groups.values()) {
      const many = group.length > ALIKE_MAX ? group : null;
      for (const child of many === null ? group : group.slice(0, 1)) {
        visit(child, depth + 1, many === null ? [] : many.map((n) => (steps[n] as FollowedStep).channel));
      }
    }
  };
  if (steps.length > 0) visit(0, 0, []);
  return branches;
}
const ALIKE_MAX = 3;
const SHOWN_MAX = 60;

/** The way of a sound from a channel on, or back, step by step. */
export function FollowList({
  plan,
  view,
  start,
  usual,
  onOpen,
}: {
  plan: Plan;
  view: View;
  start: SignalEnd;
  usual: Direction;
  onOpen: (end: SignalEnd) => void;
}) {
  const [way, setWay] = useState<Direction>(usual);
  const [isAll, setAll] = useState(false);
  const answer = useWorkerAnswer({
    question: 'follow',
    about: [start.deviceId, start.terminalId, start.channel, way, view],
    ask: (worker) => worker.follow(start, way),
    failed: 'The signal could not be followed',
  });
  if (answer === null) return null;
  const branches = branchesOf(answer);
  const shown = isAll ? branches : branches.slice(0, SHOWN_MAX);
  const wrong = answer.firstMisfit === null ? undefined : answer.steps[answer.firstMisfit];
  return (
    <>
      <div className="h-7 text-dim">
        <ViewTabs
          label="Follow the signal"
          views={['forward', 'back'] as const}
          titles={{ forward: 'Where it goes', back: 'Where it comes from' }}
          value={way}
          onChoose={setWay}
        />
      </div>
      {wrong?.misfit == null ? null : (
        <p className="mt-1.5 border-l-2 border-ochre pl-2 text-ochre">
          First that does not fit:{' '}
          <button
            type="button"
            onClick={() => onOpen(wrong)}
            className="underline underline-offset-2 focus-visible:outline-2 focus-visible:outline-jade"
          >
            {deviceName(plan, wrong.deviceId)} · {terminalChannel(plan, wrong)}
          </button>
          , {misfitText(wrong.misfit)}
        </p>
      )}
      <ol aria-label="Signal path" className="mt-1.5 flex flex-col">
        {shown.map(({ index, step, depth, alike }) => (
          <StepLine
            key={index}
            plan={plan}
            step={step}
            depth={depth}
            alike={alike}
            before={step.after === null ? null : (answer.steps[step.after]?.name ?? null)}
            onOpen={() => onOpen({ deviceId: step.deviceId, terminalId: step.terminalId, channel: step.channel })}
          />
        ))}
      </ol>
      {shown.length < branches.length ? (
        <button type="button" className="text-jade underline" onClick={() => setAll(true)}>
          {branches.length - shown.length} more steps
        </button>
      ) : null}
      {answer.steps.length <= 1 ? (
        <p className="text-dim">
          {way === 'forward' ? 'Nothing receives this channel.' : 'Nothing feeds this channel.'}
        </p>
      ) : null}
    </>
  );
}

function StepLine({
  plan,
  step,
  depth,
  alike,
  before,
  onOpen,
}: {
  plan: Plan;
  step: FollowedStep;
  /** What the sound was called a step before. */
  before: string | null;
  depth: number;
  alike: readonly number[];
  onOpen: () => void;
}) {
  const terminal = terminalAt(plan, step);
  const where =
    alike.length === 0
      ? terminalChannel(plan, step)
      : `${terminal?.name ?? step.terminalId} ${channelRuns(alike.map((c) => printedNumber(terminal, c)))}`;
  const facts = [
    step.via === null ? null : HOP_WORDS[step.via],
    step.tap === null ? null : TAP_WORDS[step.tap],
    step.format,
    step.rateHz === null ? null : `${kHz(step.rateHz)} kHz`,
    levelWords(step),
    step.airNs === null ? null : `then ${time(step.airNs)} of air`,
    step.clockGroupId === null ? null : (plan.clockGroups.get(step.clockGroupId)?.name ?? null),
    alike.length > 0 ? 'the first of them goes on below' : null,
  ].filter((f) => f !== null);
  return (
    <li
      className={`border-l-2 py-0.5 pl-2 ${step.misfit === null ? 'border-line' : 'border-ochre'}`}
      style={{ marginLeft: Math.min(depth, 14) * 6 }}
    >
      <button
        type="button"
        onClick={onOpen}
        className="flex w-full items-baseline gap-2 text-left hover:underline focus-visible:outline-2 focus-visible:outline-jade"
      >
        <span className="min-w-0 flex-1 truncate" title={`${deviceName(plan, step.deviceId)} · ${where}`}>
          {deviceName(plan, step.deviceId)} · {where}
        </span>
        <span className="shrink-0 font-mono text-[12px] text-dim">{step.delayNs === 0 ? '' : time(step.delayNs)}</span>
      </button>
      <span className="block truncate text-[12px] text-dim">
        {step.name === null || step.name === before ? '' : `${step.name} · `}
        {facts.join(' · ')}
      </span>
      {step.misfit === null ? null : <span className="block text-[12px] text-ochre">{misfitText(step.misfit)}</span>}
    </li>
  );
}
