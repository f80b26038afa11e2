import Link from 'next/link';
import { toast } from 'sonner';
import { modelFileOf } from '@/core/formats/model-file';
import { modelDifferences } from '@/core/models/model-differences';
import type { Model } from '@/core/models/models-table';
import { ASSUMED, unknownFiguresOf } from '@/core/models/unknown-figures';
import type { Plan } from '@/core/plan/plan';
import type { LibraryVersion } from '@/server/messages';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { namesInShort } from '@/ui/parts/like-lines';
import { DEVICE_KIND_WORDS, FIGURE_SECTIONS } from '@/ui/parts/model-figures';
import { differenceWords, figureLabel, figureWords, unknownFigureWords } from '@/ui/parts/figure-words';
import { reportProblem } from '@/ui/parts/report-problem';
import { saveText } from '@/ui/parts/save-text';
import { count, timeOfDay } from '@/ui/parts/units';
import { commit, previewBatch } from '@/ui/session/actions';
import { useLibraryEdits, useVersions } from '@/ui/session/library';
import { usePlan } from '@/ui/session/plan-store';
import { keptWords, type ModelRow } from './model-rows';

/** Where a model is kept, who uses it, and how its copies differ. */
export function ModelPanel({
  plan,
  row,
  rows,
  onEdit,
  onCopy,
}: {
  plan: Plan;
  row: ModelRow | null;
  rows: readonly ModelRow[];
  onEdit: (modelId: string) => void;
  onCopy: () => void;
}) {
  if (row === null) return <Overview rows={rows} onEdit={onEdit} />;
  return <OneModel plan={plan} row={row} onCopy={onCopy} />;
}

function Overview({ rows, onEdit }: { rows: readonly ModelRow[]; onEdit: (modelId: string) => void }) {
  const differing = rows.filter((r) => r.differences > 0);
  const unknown = rows.filter((r) => r.inPlan !== null && r.deviceIds.length > 0 && r.unknown > 0);
  const inPlan = rows.filter((r) => r.inPlan !== null).length;
  const inLibrary = rows.filter((r) => r.inLibrary !== null).length;
  const list = (title: string, of: readonly ModelRow[], words: (r: ModelRow) => string) =>
    of.length === 0 ? null : (
      <>
        <PanelHeading>{title}</PanelHeading>
        <ul>
          {of.map((r) => (
            <li key={r.id}>
              <button
                type="button"
                onClick={() => onEdit(r.id)}
                className="text-left underline hover:text-jade focus-visible:outline-2 focus-visible:outline-jade"
              >
                {r.model.name}
              </button>
              <span className="text-dim">: {words(r)}</span>
            </li>
          ))}
        </ul>
      </>
    );
  return (
    <>
      <h2 className="pr-7 text-[14px] font-semibold">Models</h2>
      <p className="text-dim">
        A model is what a kind of device can do. This plan has its own copies of {count(inPlan, 'model')}; the library,
        which all plans share, has {inLibrary}. Devices are added from either, and from the catalogue.
      </p>
      {list('Differ from the library', differing, (r) => count(r.differences, 'figure'))}
      {list('Figures not known', unknown, (r) => unknownFiguresOf(r.model).map(unknownFigureWords).join(', '))}
    </>
  );
}

function OneModel({ plan, row, onCopy }: { plan: Plan; row: ModelRow; onCopy: () => void }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const { model, deviceIds } = row;
  const names = deviceIds.map((id) => plan.devices.get(id)?.name ?? id);
  const unknown = unknownFiguresOf(model);
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{model.name}</h2>
      <p className="text-dim">
        {DEVICE_KIND_WORDS[model.kind]}
        {model.maker === '' ? '' : `, ${model.maker}`}. In the {keptWords(row)}.
      </p>
      <PanelHeading>Devices of this plan</PanelHeading>
      {names.length === 0 ? (
        <p className="text-dim">No device uses it.</p>
      ) : (
        <p title={names.join(', ')}>
          {count(names.length, 'device')}: {namesInShort(names)}.{' '}
          <Link
            href={`/plans/${planId}/gear?find=${encodeURIComponent(`"${model.name}"`)}`}
            className="underline hover:text-jade focus-visible:outline-2 focus-visible:outline-jade"
          >
            Show
          </Link>
        </p>
      )}
      {unknown.length > 0 ? (
        <>
          <PanelHeading>Not known</PanelHeading>
          <ul className="text-ochre">
            {unknown.map((figure) => (
              <li key={figure}>
                {unknownFigureWords(figure)}
                <span className="text-dim">{assumedWords(figure)}</span>
              </li>
            ))}
          </ul>
        </>
      ) : null}
      <Kept row={row} />
      <div className="mt-4 flex flex-wrap gap-2">
        <Button onClick={onCopy}>Duplicate …</Button>
        <Button
          onClick={() =>
            saveText(`${model.id}.model.json`, 'application/json', `${JSON.stringify(modelFileOf([model]), null, 1)}\n`)
          }
        >
          Export
        </Button>
        <RemoveButtons row={row} />
      </div>
    </>
  );
}

const figures = new Map(FIGURE_SECTIONS.flatMap((s) => s.figures.map((f) => [f.path.split('.').at(-1) ?? '', f])));

/** What is worked out with instead. */
function assumedWords(figure: string): string {
  const value = (ASSUMED as Readonly<Record<string, number>>)[figure];
  const known = figures.get(figure);
  if (value === undefined || known === undefined) return ': nothing is refused for it';
  return `: assumed ${figureWords(known, value)}`;
}

/** The library's versions of the model beside the plan's copy. */
function Kept({ row }: { row: ModelRow }) {
  const { inPlan, inLibrary, inCatalogue } = row;
  const versions = useVersions(inLibrary ?? undefined);
  const against = inLibrary?.model ?? inCatalogue;
  const beside = inLibrary === null ? 'the catalogue' : `version ${inLibrary.version} of the library`;
  return (
    <>
      <PanelHeading>Library</PanelHeading>
      {inLibrary === null ? (
        <p className="text-dim">Not in the library.</p>
      ) : (
        <p>
          Version {inLibrary.version}, {inLibrary.by}, {timeOfDay(inLibrary.at)}
          {inLibrary.note === '' ? '' : `: ${inLibrary.note}`}.
        </p>
      )}
      {inPlan === null || against === null ? null : <Differences plan={inPlan} other={against} words={beside} />}
      {versions !== null && versions.length > 1 ? (
        <details className="mt-2">
          <summary className="cursor-pointer text-dim focus-visible:outline-2 focus-visible:outline-jade">
            {count(versions.length, 'version')}
          </summary>
          <ul className="mt-1 flex flex-col gap-1.5">
            {versions.map((v) => (
              <Version key={v.version} version={v} inPlan={inPlan} />
            ))}
          </ul>
        </details>
      ) : null}
    </>
  );
}

function Version({
  version: { version, model, by, at, note },
  inPlan,
}: {
  version: LibraryVersion;
  inPlan: Model | null;
}) {
  const differences = model === null || inPlan === null ? null : modelDifferences(inPlan, model).length;
  return (
    <li className="text-[12px]">
      Version {version}, {by}, {timeOfDay(at)}
      {note === '' ? '' : `: ${note}`}.{' '}
      {model === null || inPlan === null ? null : differences === 0 ? (
        <span className="text-dim">Same as in this plan.</span>
      ) : (
        <Button tone="quiet" onClick={() => void use(model, `version ${version}`)}>
          Use in this plan …
        </Button>
      )}
    </li>
  );
}

const use = (model: Model, what: string) =>
  previewBatch(`use ${what} of ${model.name}`, [{ kind: 'put-model', model }]);

function Differences({ plan, other, words }: { plan: Model; other: Model; words: string }) {
  const differences = modelDifferences(plan, other);
  if (differences.length === 0) return <p className="text-dim">The plan’s copy matches {words}.</p>;
  return (
    <>
      <p className="mt-1 text-violet">
        The plan’s copy differs from {words} in {count(differences.length, 'figure')}.
      </p>
      <table className="mt-1 w-full text-[12px]" aria-label="Differences">
        <thead className="text-left text-dim">
          <tr>
            <th className="font-normal">Figure</th>
            <th className="font-normal">Plan</th>
            <th className="font-normal">{words.startsWith('version') ? 'Library' : 'Catalogue'}</th>
          </tr>
        </thead>
        <tbody>
          {differences.map(({ path, before, after }) => (
            <tr key={path} className="border-t border-line align-top">
              <td className="py-0.5 pr-1">{figureLabel(path)}</td>
              <td className="py-0.5 pr-1">{differenceWords(path, before)}</td>
              <td className="py-0.5">{differenceWords(path, after)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <Button className="mt-1.5" onClick={() => void use(other, words)}>
        Update the plan’s copy …
      </Button>
    </>
  );
}

function RemoveButtons({ row }: { row: ModelRow }) {
  const { model, inPlan, inLibrary, deviceIds } = row;
  const { remove, save } = useLibraryEdits();
  const removeKept = async () => {
    if (inLibrary === null) return;
    const kept = inLibrary.model as Model;
    try {
      await remove(row.id, inLibrary.version);
      const restore = () =>
        void save(kept, inLibrary.version + 1, 'restored').catch((e: unknown) => reportProblem(e, 'Not restored'));
      toast(`Removed from the library: ${kept.name}`, { action: { label: 'Undo', onClick: restore } });
    } catch (error) {
      reportProblem(error, 'Not removed');
    }
  };
  return (
    <>
      {inLibrary === null ? null : <Button onClick={() => void removeKept()}>Remove from library</Button>}
      {inPlan !== null && deviceIds.length === 0 ? (
        <Button
          onClick={() => void commit(`remove the model ${model.name}`, [{ kind: 'remove-model', modelId: row.id }])}
        >
          Remove from plan
        </Button>
      ) : null}
    </>
  );
}
