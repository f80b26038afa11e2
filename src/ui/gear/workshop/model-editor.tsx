import { useEffect, useState } from 'react';
import type { Model } from '@/core/models/models-table';
import { Button } from '@/ui/parts/controls';
import { FIGURE_SECTIONS } from '@/ui/parts/model-figures';
import { figureValue } from '@/ui/parts/figure-values';
import type { FigureSection } from '@/ui/parts/figure-shape';
import type { Draft } from './drafts';
import { FigureField } from './figure-field';

/** Every figure of a model, in sections of which only those show that its kind has. */
export function ModelEditor({ base, draft }: { base: Model; draft: Draft }) {
  const { model } = draft;
  const [opened, setOpened] = useState<ReadonlySet<string>>(new Set());
  // A link may lead to one section.
  useEffect(() => {
    const { hash } = window.location;
    if (hash.startsWith('#section-')) document.getElementById(hash.slice(1))?.scrollIntoView();
  }, []);
  const isShown = (section: FigureSection) =>
    section.isFor(model.kind) ||
    opened.has(section.id) ||
    (section.record !== undefined && model[section.record.path] !== null) ||
    (section.id === 'channels' && model.channelsReceive + model.channelsSend > 0) ||
    (section.id === 'formats' && model.channelsReceive + model.channelsSend > 0);
  const others = FIGURE_SECTIONS.filter((s) => !isShown(s));
  return (
    <div className="min-h-0 flex-1 overflow-y-auto px-4 pb-6" tabIndex={0} role="region" aria-label="Figures">
      {FIGURE_SECTIONS.filter(isShown).map((section) => (
        <Section key={section.id} section={section} base={base} draft={draft} />
      ))}
      {others.length > 0 ? (
        <p className="mt-5 flex flex-wrap items-center gap-2 text-dim">
          Unusual for its kind:
          {others.map((section) => (
            <Button
              key={section.id}
              onClick={() =>
                section.record
                  ? draft.set(section.record.path, section.record.plain)
                  : setOpened(new Set([...opened, section.id]))
              }
            >
              Add: {section.title.toLowerCase()}
            </Button>
          ))}
        </p>
      ) : null}
    </div>
  );
}

function Section({ section, base, draft }: { section: FigureSection; base: Model; draft: Draft }) {
  const { title, record, figures } = section;
  const isThere = record === undefined || draft.model[record.path] !== null;
  const isRecordChanged = record !== undefined && draft.changed.has(record.path);
  return (
    <section aria-labelledby={`section-${section.id}`} className="mt-4">
      <h3 id={`section-${section.id}`} className="flex h-7 items-center gap-3 text-[13px] font-semibold">
        {title}
        {record === undefined ? null : isThere ? (
          <Button
            tone="quiet"
            aria-label={`Mark as not stated: ${title}`}
            title={record.without}
            onClick={() => draft.set(record.path, null)}
          >
            Mark as not stated
          </Button>
        ) : (
          <Button aria-label={`Set figures: ${title}`} onClick={() => draft.set(record.path, record.plain)}>
            Set figures
          </Button>
        )}
        {isRecordChanged ? <span className="text-[12px] font-normal text-violet">changed</span> : null}
      </h3>
      {isThere ? (
        figures.map((figure) => (
          <FigureField
            key={figure.path}
            model={draft.model}
            figure={figure}
            value={figureValue(draft.model, figure.path)}
            before={figureValue(base, figure.path)}
            isChanged={draft.changed.has(figure.path)}
            onSet={(value) => draft.set(figure.path, value)}
          />
        ))
      ) : (
        <p className="text-dim">{record?.without}.</p>
      )}
    </section>
  );
}
