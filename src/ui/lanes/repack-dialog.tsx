import { useEffect, useRef, useState } from 'react';
import type { RepackOptions, RepackState } from '@/core/reckon/repack-plan';
import type { Plan } from '@/core/plan/plan';
import { Tick } from '@/ui/parts/choice';
import { Button, Modal } from '@/ui/parts/controls';
import { reportProblem } from '@/ui/parts/report-problem';
import { bits, count } from '@/ui/parts/units';
import { previewBatch } from '@/ui/session/actions';
import { reckonWorker } from '@/ui/session/plan-store';

/** One stretch of searching: short enough that a press on Stop is felt as instant. */
const STRETCH_MS = 100;
/** It stops by itself after so long; the best is there long before. */
const SEARCH_MS = 20_000;

const GOAL_WORDS = { streams: 'fewest streams', load: 'least load' } as const;

/** The streams as they are beside the best that is found; it gets better while one looks. */
export function RepackDialog({ plan, onClose }: { plan: Plan; onClose: () => void }) {
  const [options, setOptions] = useState<RepackOptions>({ goal: 'streams', mayInterrupt: false });
  const [state, setState] = useState<RepackState | null>(null);
  const [round, setRound] = useState(0);
  const [ended, setEnded] = useState<readonly unknown[]>([]);
  const isStopped = useRef(false);
  // A search is told by what it was begun with: other wishes or another plan begin another.
  const isSearching = ended[0] !== round || ended[1] !== options || ended[2] !== plan;

  useEffect(() => {
    let isWanted = true;
    isStopped.current = false;
    const search = async () => {
      const end = performance.now() + SEARCH_MS;
      let now: RepackState | null = await reckonWorker().startRepack(options);
      while (isWanted && !isStopped.current && now !== null && !now.isFinished && performance.now() < end) {
        setState(now);
        now = await reckonWorker().workOnRepack(STRETCH_MS);
      }
      if (isWanted) setState(now);
    };
    search()
      .catch((error: unknown) => reportProblem(error, 'The search ended'))
      .finally(() => isWanted && setEnded([round, options, plan]));
    return () => {
      isWanted = false;
    };
  }, [round, options, plan]);

  const preview = async () => {
    isStopped.current = true;
    const commands = await reckonWorker().repackCommands();
    onClose();
    if (commands.length > 0) await previewBatch(`repack for the ${GOAL_WORDS[options.goal]}`, commands);
  };
  const saved = state === null ? 0 : state.streamsBefore - state.streams;
  const isBetter = state !== null && (saved > 0 || state.load < state.loadBefore - 1);

  return (
    <Modal title="Repack the streams" onClose={onClose} wide>
      <p className="text-dim">
        Channels are grouped into streams again, within the limits of every device. Locked streams stay as they are.
      </p>
      <div className="mt-3 flex flex-wrap items-center gap-x-5 gap-y-1">
        <fieldset className="flex items-center gap-3">
          <legend className="sr-only">Optimise for</legend>
          {(['streams', 'load'] as const).map((goal) => (
            <label key={goal} className="flex items-center gap-1.5">
              <input
                type="radio"
                name="goal"
                checked={options.goal === goal}
                onChange={() => setOptions({ ...options, goal })}
                className="accent-jade"
              />
              {GOAL_WORDS[goal]}
            </label>
          ))}
        </fieldset>
        <Tick
          label="streams that carry may be interrupted"
          is={options.mayInterrupt}
          onChange={(mayInterrupt) => setOptions({ ...options, mayInterrupt })}
        />
      </div>
      {state === null ? (
        <p role="status" className="mt-3">
          {isSearching ? 'Looking for better streams …' : 'There is nothing to repack.'}
        </p>
      ) : (
        <>
          <table className="mt-3 w-full text-right font-mono text-[12px]">
            <thead className="font-sans text-faint">
              <tr>
                <td />
                <th className="font-normal">as it is</th>
                <th className="font-normal">repacked</th>
                <th className="font-normal">lower bound</th>
                <th className="w-24 font-normal">gap</th>
              </tr>
            </thead>
            <tbody>
              <Row
                what="Streams"
                isGoal={options.goal === 'streams'}
                values={[state.streamsBefore, state.streams, state.fewestStreams]}
                word={String}
              />
              <Row
                what="Load at the ends"
                isGoal={options.goal === 'load'}
                values={[state.loadBefore, state.load, state.leastLoad]}
                word={bits}
              />
            </tbody>
          </table>
          <p className="mt-1.5 text-[12px] text-dim">
            Load at the ends: what streams put on the wire where they leave their senders and where they enter
            receivers, both legs. Nothing can go below the lower bound; it leaves out the stream limits of receivers, so
            it may be unreachable.
          </p>
          <p role="status" aria-live="polite" className="mt-2">
            {state.casesDone < state.cases
              ? `${state.casesDone} of ${count(state.cases, 'sender')} looked at …`
              : isSearching
                ? 'All senders looked at; looking for still better …'
                : state.isFinished
                  ? 'Nothing better can be found.'
                  : 'Stopped: this is the best so far.'}
          </p>
        </>
      )}
      <div className="mt-3 flex justify-end gap-2">
        {isSearching ? (
          <Button onClick={() => (isStopped.current = true)}>Stop</Button>
        ) : (
          <Button disabled={state?.isFinished === true} onClick={() => setRound(round + 1)}>
            Keep searching
          </Button>
        )}
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="main" disabled={!isBetter} onClick={() => void preview()}>
          Preview {saved > 0 ? `${count(saved, 'stream')} fewer` : ''}
        </Button>
      </div>
    </Modal>
  );
}

function Row({
  what,
  isGoal,
  values: [before, now, best],
  word,
}: {
  what: string;
  isGoal: boolean;
  values: readonly [number, number, number];
  word: (n: number) => string;
}) {
  const gap = best === 0 ? 0 : (now / best - 1) * 100;
  return (
    <tr className="border-t border-line">
      <th scope="row" className="py-1 text-left font-sans font-normal">
        {what}
      </th>
      <td>{word(before)}</td>
      <td className={now < before ? 'text-jade' : now > before ? 'text-ochre' : ''}>{word(now)}</td>
      <td className="text-dim">{word(best)}</td>
      <td className="text-dim">{isGoal ? `${gap.toFixed(1)} %` : ''}</td>
    </tr>
  );
}
