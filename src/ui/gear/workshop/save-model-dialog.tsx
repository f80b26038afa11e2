import { useState } from 'react';
import { toast } from 'sonner';
import type { Model } from '@/core/models/models-table';
import { Labelled, Modal, TextField } from '@/ui/parts/controls';
import { reportProblem } from '@/ui/parts/report-problem';
import { useLibrary, useLibraryEdits } from '@/ui/session/library';
import type { ModelRow } from './model-rows';
import { DialogActions } from '@/ui/parts/dialog-actions';

/** Saves a model as the next version of the library. Plans keep their copies; they are told that the library's is another. */
export function SaveModelDialog({
  model,
  row,
  onClose,
  onSaved,
}: {
  model: Model;
  row: ModelRow;
  onClose: () => void;
  onSaved: () => void;
}) {
  const library = useLibrary();
  const { save } = useLibraryEdits();
  // What it is made from, as it was when the dialog opened: what somebody else saves meanwhile is not overwritten unseen.
  const [after] = useState(() => library.get(row.id)?.version ?? 0);
  const [note, setNote] = useState('');
  const [isBusy, setBusy] = useState(false);
  const next = after + 1;
  const submit = async () => {
    setBusy(true);
    try {
      await save(model, after, note.trim());
      toast(`Saved: ${model.name}, version ${next} of the library`);
      onSaved();
    } catch (error) {
      reportProblem(error, 'Not saved to the library');
      onClose();
    }
  };
  return (
    <Modal title={`Save ${model.name} to the library`} onClose={onClose}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void submit();
        }}
      >
        <p className="text-dim">
          It becomes version {next}. Every plan can use it; plans that have a copy keep theirs and show what differs.
        </p>
        <div className="mt-3">
          <Labelled label="Note, e.g. where the figures are from">
            <TextField autoFocus maxLength={200} value={note} onChange={(e) => setNote(e.target.value)} />
          </Labelled>
        </div>
        <DialogActions className="mt-4" onCancel={onClose} disabled={isBusy}>
          Save version {next}
        </DialogActions>
      </form>
    </Modal>
  );
}
