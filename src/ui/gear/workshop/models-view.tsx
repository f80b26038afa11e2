import { useQueryState } from 'nuqs';
import { useMemo, useState } from 'react';
import type { Model } from '@/core/models/models-table';
import type { Plan } from '@/core/plan/plan';
import { StageLayout } from '@/ui/frame/stage-layout';
import { Button } from '@/ui/parts/controls';
import { filtered, searchFor } from '@/ui/parts/find-text';
import { useMarks } from '@/ui/parts/marks';
import { DEVICE_KIND_WORDS } from '@/ui/parts/model-figures';
import { SortedSheet, type SheetDeclaration } from '@/ui/parts/sorted-sheet';
import { count } from '@/ui/parts/units';
import type { SheetColumn } from '@/ui/parts/sheet';
import { commit, previewBatch } from '@/ui/session/actions';
import { useLibrary } from '@/ui/session/library';
import { usePlan } from '@/ui/session/plan-store';
import { useDraft } from './drafts';
import { ModelEditor } from './model-editor';
import { ModelPanel } from './model-panel';
import { keptWords, modelRows, type ModelRow } from './model-rows';
import { NewModelDialog } from './new-model-dialog';
import { OpenModelsDialog } from './open-models-dialog';
import { SaveModelDialog } from './save-model-dialog';
import { FilterField } from '@/ui/parts/filter-field';
import { StageBar } from '@/ui/frame/stage-bar';

/** A column with a figure of the model; one that is not known sorts before all others. */
const figure = (
  id: string,
  title: string,
  width: string,
  of: (model: Model) => number | null,
): SheetColumn<ModelRow> => ({
  id,
  title,
  width,
  isNumber: true,
  cell: ({ model }) => (of(model) === 0 ? '' : (of(model) ?? '?')),
  order: ({ model }) => of(model) ?? -1,
});

function stateWords({ differences, unknown }: ModelRow): string {
  return [
    ...(differences > 0 ? [`library differs: ${differences}`] : []),
    ...(unknown > 0 ? [`${unknown} not known`] : []),
  ].join('; ');
}

const MODELS: SheetDeclaration<ModelRow> = {
  label: 'Models',
  idPrefix: 'model',
  keyOf: (r) => r.id,
  first: { column: 'devices', isDescending: false },
  columns: [
    { id: 'name', title: 'Model', width: 'minmax(150px,1.4fr)', cell: (r) => r.model.name },
    { id: 'kind', title: 'Kind', width: '118px', tone: 'dim', cell: (r) => DEVICE_KIND_WORDS[r.model.kind] },
    figure('in', 'Ch. in', '50px', (m) => m.channelsReceive),
    figure('streamsIn', 'Streams', '60px', (m) => m.streamsReceive),
    figure('out', 'Ch. out', '56px', (m) => m.channelsSend),
    figure('streamsOut', 'Streams', '60px', (m) => m.streamsSend),
    {
      id: 'devices',
      title: 'Devices',
      width: '62px',
      isNumber: true,
      cell: (r) => (r.deviceIds.length === 0 ? '' : r.deviceIds.length),
      // Those in use come first when one begins.
      order: (r) => -r.deviceIds.length,
    },
    { id: 'kept', title: 'Source', width: 'minmax(110px,0.9fr)', tone: 'dim', cell: keptWords },
    {
      id: 'state',
      title: 'Notes',
      width: 'minmax(110px,0.9fr)',
      cell: stateWords,
      order: (r) => -r.differences * 100 - r.unknown,
    },
  ],
};

/** The models that devices are made from: those of the plan, the library beside the plans, and the catalogue. */
export function ModelsView({ plan, onClose }: { plan: Plan; onClose: () => void }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const library = useLibrary();
  const rows = useMemo(() => modelRows(plan, library), [plan, library]);
  const [cursorId, setCursor] = useQueryState('model');
  const [isOpen, setOpen] = useQueryState('edit');
  const [text, setText] = useState('');
  const [asking, setAsking] = useState<'new' | 'copy' | 'file' | null>(null);
  const shown = useMemo(
    () => filtered(rows, searchFor(text), (r) => `${r.model.name} ${DEVICE_KIND_WORDS[r.model.kind]} ${r.model.maker}`),
    [rows, text],
  );
  const { selected, select } = useMarks(
    shown.map((r) => r.id),
    cursorId,
    (id) => void setCursor(id),
  );
  const close = () => {
    void setCursor(null);
    onClose();
  };
  const row = rows.find((r) => r.id === cursorId) ?? null;
  const go = (id: string) => {
    void setCursor(id);
    void setOpen('1');
  };
  return (
    <StageLayout
      panel={
        <ModelPanel
          key={row?.id ?? ''}
          plan={plan}
          row={row}
          rows={rows}
          onEdit={go}
          onCopy={() => setAsking('copy')}
        />
      }
    >
      {row !== null && isOpen !== null ? (
        <OpenModel key={row.id} planId={planId} row={row} onClose={() => void setOpen(null)} />
      ) : (
        <>
          <StageBar>
            <Button onClick={close}>← All devices</Button>
            <h2 className="font-semibold text-ink">Models</h2>
            <FilterField what="models" value={text} onChange={setText} className="w-[124px]" />
            <span className="ml-auto whitespace-nowrap">{count(shown.length, 'model')}</span>
            <Button disabled={row === null} onClick={() => void setOpen('1')}>
              Figures
            </Button>
            <Button onClick={() => setAsking('file')}>Import …</Button>
            <Button tone="main" onClick={() => setAsking('new')}>
              New model …
            </Button>
          </StageBar>
          <SortedSheet
            of={MODELS}
            rows={shown}
            none={<p className="p-6 text-dim">No model passes this filter.</p>}
            selectedKeys={selected}
            cursorKey={cursorId}
            onSelect={(key) => select(key, 'only')}
            onOpen={go}
          />
        </>
      )}
      {asking === 'new' || asking === 'copy' ? (
        <NewModelDialog
          plan={plan}
          rows={rows}
          from={asking === 'copy' && row !== null ? row.id : null}
          onClose={() => setAsking(null)}
          onMade={(id) => {
            setAsking(null);
            go(id);
          }}
        />
      ) : null}
      {asking === 'file' ? <OpenModelsDialog onClose={() => setAsking(null)} /> : null}
    </StageLayout>
  );
}

/** One model with all its figures. What is set is kept as a draft until it is previewed or saved. */
function OpenModel({ planId, row, onClose }: { planId: string; row: ModelRow; onClose: () => void }) {
  const base = row.model;
  const draft = useDraft(planId, base);
  const [isSaving, setSaving] = useState(false);
  const changes = draft.changed.size;
  const devices = row.deviceIds.length;
  const put = [{ kind: 'put-model' as const, model: draft.model }];
  const title = `change ${count(changes, 'figure')} of ${draft.model.name}`;
  return (
    <>
      <div className="flex h-10 shrink-0 items-center gap-2 border-b border-line px-3 max-md:overflow-x-auto max-md:*:shrink-0">
        <Button onClick={onClose}>← All models</Button>
        <h2 className="min-w-0 truncate font-semibold" title={draft.model.name}>
          {draft.model.name}
        </h2>
        <span role="status" className={`whitespace-nowrap ${changes > 0 ? 'text-violet' : 'text-dim'}`}>
          {changes > 0 ? `${count(changes, 'figure')} changed` : 'no changes'}
        </span>
        <span className="ml-auto" />
        {changes > 0 ? <Button onClick={draft.discard}>Discard changes</Button> : null}
        <Button tone={row.inPlan === null ? 'main' : 'plain'} onClick={() => setSaving(true)}>
          Save to library …
        </Button>
        {row.inPlan === null ? null : devices > 0 ? (
          <Button tone="main" disabled={changes === 0} onClick={() => void previewBatch(title, put)}>
            Preview on {count(devices, 'device')}
          </Button>
        ) : (
          <Button tone="main" disabled={changes === 0} onClick={() => void commit(title, put)}>
            Save in plan
          </Button>
        )}
      </div>
      <ModelEditor base={base} draft={draft} />
      {isSaving ? (
        <SaveModelDialog
          model={draft.model}
          row={row}
          onClose={() => setSaving(false)}
          onSaved={() => {
            setSaving(false);
            // A model of the library alone now is as the draft has it; the plan's copy is changed by its preview.
            if (row.inPlan === null) draft.discard();
          }}
        />
      ) : null}
    </>
  );
}
