import { compareNames } from '@/core/plan/name-order';
import { useState } from 'react';
import { freeId } from '@/core/edits/propose-devices';
import { foundKey } from '@/core/edits/found-node';
import { modelOfNode } from '@/core/edits/model-of-node';
import { newModel } from '@/core/models/new-model';
import { DEVICE_KINDS, type DeviceKind, type Model } from '@/core/models/models-table';
import type { Plan } from '@/core/plan/plan';
import { Choice } from '@/ui/parts/choice';
import { Labelled, Modal, TextField } from '@/ui/parts/controls';
import { DEVICE_KIND_WORDS } from '@/ui/parts/model-figures';
import { PickOne } from '@/ui/parts/pick-one';
import { reportProblem } from '@/ui/parts/report-problem';
import { count } from '@/ui/parts/units';
import { useLibrary, useLibraryEdits } from '@/ui/session/library';
import { usePlan } from '@/ui/session/plan-store';
import type { ModelRow } from './model-rows';
import { DialogActions } from '@/ui/parts/dialog-actions';

const NOTHING = '';

/** A model of one's own: begun from nothing, from another model, or from what a found node tells. It is kept in the library from the start. */
export function NewModelDialog({
  plan,
  rows,
  from,
  onClose,
  onMade,
}: {
  plan: Plan;
  rows: readonly ModelRow[];
  /** The model to begin from; null: nothing. */
  from: string | null;
  onClose: () => void;
  onMade: (id: string) => void;
}) {
  const unknown = usePlan((s) => s.field.unknown);
  const library = useLibrary();
  const { save } = useLibraryEdits();
  const [source, setSource] = useState(from === null ? NOTHING : `model ${from}`);
  const [name, setName] = useState<string | null>(null);
  const [kind, setKind] = useState<DeviceKind>('endpoint');
  const [isBusy, setBusy] = useState(false);
  const base = rows.find((r) => `model ${r.id}` === source)?.model ?? null;
  const node = [...unknown.values()].flat().find((n) => `node ${foundKey(n)}` === source) ?? null;
  const proposed = base !== null ? `${base.name}, own` : node !== null ? node.label : '';
  const called = (name ?? proposed).trim().slice(0, 200);
  const isTaken = rows.some((r) => r.model.name === called);
  const make = (): Model => {
    // Models that were taken out of the library keep their ids there.
    const taken = new Set([...rows.map((r) => r.id), ...plan.models.keys(), ...library.keys()]);
    const id = freeId(called, taken);
    if (base !== null) return { ...base, id, name: called };
    if (node !== null) return modelOfNode(id, called, node);
    return newModel(id, called, kind);
  };
  const submit = async () => {
    if (called === '' || isBusy) return;
    setBusy(true);
    const model = make();
    const note =
      base !== null ? `from ${base.name}` : node !== null ? `from what ${node.label} reports` : 'from nothing';
    try {
      await save(model, 0, note);
      onMade(model.id);
    } catch (error) {
      setBusy(false);
      reportProblem(error, 'Not created');
    }
  };
  return (
    <Modal title={from === null ? 'New model' : 'Duplicate a model'} onClose={onClose} wide>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void submit();
        }}
      >
        <PickOne
          label="Start from"
          autoFocus
          value={source}
          onPick={setSource}
          options={[
            { id: NOTHING, words: 'Nothing', detail: 'all figures not known' },
            ...[...unknown.values()].flat().map((n) => ({
              id: `node ${foundKey(n)}`,
              words: n.label,
              detail: `found: ${count(n.channelsReceive, 'channel')} in, ${n.channelsSend} out`,
            })),
            ...[...rows]
              .sort((a, b) => compareNames(a.model.name, b.model.name))
              .map((r) => ({
                id: `model ${r.id}`,
                words: r.model.name,
                detail: `${DEVICE_KIND_WORDS[r.model.kind]}, ${r.model.channelsReceive} in, ${r.model.channelsSend} out`,
              })),
          ]}
        />
        <div className="mt-3 grid grid-cols-2 gap-3">
          <Labelled label="Name" error={isTaken ? 'Another model has this name; it is allowed.' : undefined}>
            <TextField maxLength={200} value={name ?? proposed} onChange={(e) => setName(e.target.value)} />
          </Labelled>
          {source === NOTHING ? (
            <Choice
              label="Kind"
              value={kind}
              of={DEVICE_KINDS}
              word={(k) => DEVICE_KIND_WORDS[k]}
              onChoose={(k) => setKind(k)}
            />
          ) : null}
        </div>
        <DialogActions className="mt-4" onCancel={onClose} disabled={isBusy || called === ''}>
          Create
        </DialogActions>
      </form>
    </Modal>
  );
}
