import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { PLAN_FILE_MAX_BYTES } from '@/core/formats/plan-file';
import type { FileProblem } from '@/core/formats/read-plan-file';
import type { MergedKind, MergeTally } from '@/core/edits/merge-plan';
import { Button, Modal } from '@/ui/parts/controls';
import { LeaveOrPreview, LookedAt } from '@/ui/parts/looked-at';
import { reportProblem } from '@/ui/parts/report-problem';
import { KIND_WORDS } from '@/ui/parts/record-words';
import { count } from '@/ui/parts/units';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { previewBatch } from '@/ui/session/actions';
import { ask } from '@/ui/session/ask';
import { firstText, type ImportProps } from './asked';
import { FileDrop } from './file-drop';
import { FileProblems } from './file-problems';
import { readTextFile } from './read-file';

interface OtherFile {
  readonly name: string;
  readonly text: string;
}

/** Another plan merged into this one, kind by kind, or opened beside it. Nothing is applied before yes. */
export function PlanDialog({ plan, found, onClose }: ImportProps) {
  const router = useRouter();
  const [source, setSource] = useState<OtherFile | null>(() => firstText(found));
  const [unread, setUnread] = useState<readonly FileProblem[]>([]);
  const [take, setTake] = useState<ReadonlySet<MergedKind>>(new Set());
  const told = useWorkerAnswer({
    question: 'readOther',
    about: [source],
    ask: async (worker) => (source === null ? null : { source, problems: await worker.readOther(source.text) }),
    failed: 'The file could not be read',
    isWanted: source !== null,
    until: 'nothing',
  });
  const isReading = source !== null && told === null;
  const readText = source !== null && told?.problems.length === 0 ? source.text : null;
  const problems = [...unread, ...(told?.problems ?? [])];
  // Held against the plan as it is now: others may change it meanwhile.
  const held = useWorkerAnswer({
    question: 'mergeOther',
    about: [told, take, plan],
    ask: (worker) => worker.mergeOther([...take]),
    failed: 'The plans could not be compared',
    isWanted: readText !== null,
  });
  const merge = readText === null ? null : held;

  const read = async (file: File | undefined) => {
    if (file === undefined) return;
    setUnread([]);
    setSource(null);
    setTake(new Set());
    const text = await readTextFile(file, PLAN_FILE_MAX_BYTES);
    if ('problem' in text) setUnread([{ at: file.name, problem: text.problem }]);
    else setSource({ name: file.name, text: text.text });
  };
  const openBeside = async () => {
    if (readText === null) return;
    try {
      const { id } = await ask('POST /api/plans/file', { body: readText });
      onClose();
      router.push(`/plans/${id}/lanes`);
    } catch (error) {
      reportProblem(error, 'Not opened');
    }
  };
  const listed = merge?.tallies.filter((t) => t.new + t.differs + t.same > 0) ?? [];
  return (
    <Modal title="Import from another plan" onClose={onClose} wide>
      <div className="flex flex-col gap-3">
        <FileDrop
          words="Drop a file here, or choose one:"
          label="Plan to import from"
          accept=".json,application/json"
          now={source?.name ?? null}
          onFiles={([file]) => void read(file)}
        >
          What this plan does not have is added. What both have and is not the same stays as it is here, unless you use
          the file’s. Nothing of this plan is removed, and what was sent to devices is left alone.
        </FileDrop>
        {isReading ? <p role="status">Reading {source?.name} …</p> : null}
        <FileProblems problems={problems} />
        {merge !== null ? (
          <LookedAt
            label="What would be imported"
            columns={[
              'Of the other plan',
              { title: 'New', width: 'w-14 text-right' },
              { title: 'Differ', width: 'w-14 text-right' },
              { title: 'Same', width: 'w-14 text-right' },
              { title: 'Where it differs', width: 'w-[300px] pl-4' },
            ]}
          >
            {listed.map((tally) => (
              <Line
                key={tally.kind}
                tally={tally}
                isTaken={take.has(tally.kind)}
                onTake={(is) =>
                  setTake(new Set(is ? [...take, tally.kind] : [...take].filter((k) => k !== tally.kind)))
                }
              />
            ))}
          </LookedAt>
        ) : null}
        <div className="flex items-center gap-2">
          {merge !== null ? <Button onClick={() => void openBeside()}>Open as a separate plan</Button> : null}
          <div className="ml-auto">
            <LeaveOrPreview
              words={count(merge?.taken ?? 0, 'record')}
              isPossible={(merge?.taken ?? 0) > 0}
              onLeave={onClose}
              onPreview={() => {
                onClose();
                void previewBatch(`import ${count(merge?.taken ?? 0, 'record')} from ${source?.name ?? ''}`, [
                  ...(merge?.commands ?? []),
                ]);
              }}
            />
          </div>
        </div>
      </div>
    </Modal>
  );
}

function Line({ tally, isTaken, onTake }: { tally: MergeTally; isTaken: boolean; onTake: (isTaken: boolean) => void }) {
  const { kind, differing, differs } = tally;
  const named = differing.slice(0, 6).join(' · ') + (differs > 6 ? ` · ${differs - 6} more` : '');
  return (
    <tr className="border-t border-line/60 align-top">
      <td>{KIND_WORDS[kind][1]}</td>
      <td className={`text-right font-mono text-[12px] ${tally.new > 0 ? 'text-jade' : 'text-dim'}`}>{tally.new}</td>
      <td className={`text-right font-mono text-[12px] ${differs > 0 ? 'text-violet' : 'text-dim'}`}>{differs}</td>
      <td className="text-right font-mono text-[12px] text-dim">{tally.same}</td>
      <td className="pl-4">
        {differs === 0 ? null : (
          <label className="flex items-start gap-1.5">
            <input
              type="checkbox"
              className="mt-1 accent-jade"
              checked={isTaken}
              aria-label={`Use ${KIND_WORDS[kind][1].toLowerCase()} of the file where they differ`}
              onChange={(e) => onTake(e.target.checked)}
            />
            <span>
              use the file’s <span className="text-dim">({named})</span>
            </span>
          </label>
        )}
      </td>
    </tr>
  );
}
