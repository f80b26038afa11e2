import type { Plan } from '@/core/plan/plan';
import { choiceWords } from '@/ui/parts/clock-words';
import { Modal } from '@/ui/parts/controls';
import { count } from '@/ui/parts/units';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { previewBatch } from '@/ui/session/actions';
import { DialogActions } from '@/ui/parts/dialog-actions';

/** A clock plan with a reason for every choice. It is one batch, looked at in place before it is applied. */
export function ProposalDialog({ plan, onClose }: { plan: Plan; onClose: () => void }) {
  const proposal = useWorkerAnswer({
    question: 'proposeClocks',
    about: [plan],
    ask: (worker) => worker.proposeClocks(),
    failed: 'No clock plan could be proposed',
  });
  const preview = () => {
    if (proposal === null) return;
    onClose();
    void previewBatch('propose a clock plan', proposal.commands);
  };
  return (
    <Modal title="Propose a clock plan" onClose={onClose} wide>
      {proposal === null ? (
        <p role="status">Calculating …</p>
      ) : (
        <>
          <ul className="max-h-[52vh] list-disc overflow-y-auto pl-5">
            {proposal.choices.map((choice) => {
              const words = choiceWords(plan, choice);
              const isLack = choice.what.startsWith('no-');
              return (
                <li key={words} className={`py-0.5 ${isLack ? 'text-ochre' : ''}`}>
                  {words}
                </li>
              );
            })}
          </ul>
          <p className="mt-3 text-dim">
            {proposal.commands.length === 0
              ? 'The plan is like this already: nothing to change.'
              : `${count(proposal.commands.length, 'record')} would change, all in one step.`}
          </p>
        </>
      )}
      <DialogActions
        onCancel={onClose}
        autoFocus
        disabled={proposal === null || proposal.commands.length === 0}
        onMain={preview}
      >
        Preview
      </DialogActions>
    </Modal>
  );
}
