import { useState } from 'react';
import type { Model } from '@/core/models/models-table';
import { SelectField, TextField } from '@/ui/parts/controls';
import { emptyWords, figureWords } from '@/ui/parts/figure-words';
import { figureProblem, figureText, readRanges } from '@/ui/parts/figure-values';
import type { Figure, FigureInput } from '@/ui/parts/figure-shape';
import { FormatsField } from './formats-field';
import { PortsField } from './ports-field';
import { TerminalsField } from './terminals-field';

/** One figure of a model: what it is called, its value, its unit, and what it is used for. */
export function FigureField({
  model,
  figure,
  value,
  before,
  isChanged,
  onSet,
}: {
  /** As it would be with what was set so far. */
  model: Model;
  figure: Figure;
  value: unknown;
  /** As the model has it, whatever was set since. */
  before: unknown;
  isChanged: boolean;
  onSet: (value: unknown) => void;
}) {
  const { input, label } = figure;
  const isWide = input.is === 'ports' || input.is === 'formats' || input.is === 'terminals';
  const id = `figure-${figure.path}`;
  const was = isChanged ? (
    <span className="text-violet">
      {' '}
      changed, was{' '}
      {isWide && Array.isArray(before) && before.length > 3 ? `${before.length} entries` : figureWords(figure, before)}
    </span>
  ) : null;
  if (isWide) {
    return (
      <div className="border-b border-line py-1.5">
        <p className="text-[12px]">
          <span className="font-medium">{label}</span> <span className="text-dim">{figure.use}</span>
          {was}
        </p>
        {input.is === 'ports' ? (
          <PortsField ports={value as Model['ports']} onSet={onSet} />
        ) : input.is === 'terminals' ? (
          <TerminalsField model={model} terminals={value as Model['terminals']} onSet={onSet} />
        ) : (
          <FormatsField label={label} formats={value as Model['sends']['formats']} onSet={onSet} />
        )}
      </div>
    );
  }
  return (
    <div className="grid min-h-8 grid-cols-[184px_286px_1fr] items-center gap-3 border-b border-line py-0.5 max-md:grid-cols-1 max-md:gap-1">
      <label htmlFor={input.is === 'some' ? undefined : id} id={`${id}-label`}>
        {label}
      </label>
      <FigureInputField key={`${isChanged}`} id={id} figure={figure} input={input} value={value} onSet={onSet} />
      <span className="text-[12px] text-dim" id={`${id}-use`}>
        {figure.use}
        {was}
      </span>
    </div>
  );
}

type Value = string | number | boolean;

function FigureInputField({
  id,
  figure,
  input,
  value,
  onSet,
}: {
  id: string;
  figure: Figure;
  input: FigureInput;
  value: unknown;
  onSet: (value: unknown) => void;
}) {
  switch (input.is) {
    case 'flag':
      return (
        <input
          id={id}
          type="checkbox"
          checked={value === true}
          aria-describedby={`${id}-use`}
          onChange={(e) => onSet(e.target.checked)}
          className="size-4 justify-self-start accent-jade"
        />
      );
    case 'one':
      return (
        <SelectField
          id={id}
          value={String(value)}
          aria-describedby={`${id}-use`}
          onChange={(e) => onSet(input.of.find((v) => String(v) === e.target.value))}
        >
          {input.of.map((v) => (
            <option key={String(v)} value={String(v)}>
              {input.word(v)}
            </option>
          ))}
        </SelectField>
      );
    case 'some': {
      const now = value as readonly Value[];
      return (
        <span role="group" aria-labelledby={`${id}-label`} className="flex flex-wrap gap-x-3">
          {input.of.map((v) => (
            <label key={String(v)} className="flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={now.includes(v)}
                // In the order in which they are declared, so that two copies with the same ones are equal.
                onChange={(e) => onSet(input.of.filter((o) => (o === v ? e.target.checked : now.includes(o))))}
                className="accent-jade"
              />
              {input.word(v)}
            </label>
          ))}
          {figure.unit === undefined ? null : <span className="text-dim">{figure.unit}</span>}
        </span>
      );
    }
    case 'number':
    case 'ranges':
    case 'text':
      return <TypedField id={id} figure={figure} input={input} value={value} onSet={onSet} />;
    default:
      return null;
  }
}

/** What is typed counts when one leaves the field or presses Enter; Escape goes back. */
function TypedField({
  id,
  figure,
  input,
  value,
  onSet,
}: {
  id: string;
  figure: Figure;
  input: Extract<FigureInput, { is: 'number' | 'ranges' | 'text' }>;
  value: unknown;
  onSet: (value: unknown) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const text = typed ?? figureText(input, value);
  const problem =
    input.is === 'text' && figure.path === 'name' && text.trim() === ''
      ? 'A name is needed.'
      : figureProblem(input, text);
  const save = () => {
    if (typed === null || problem !== null) return;
    setTyped(null);
    if (input.is === 'ranges') return onSet(readRanges(typed));
    if (input.is === 'text') return onSet(typed.trim().slice(0, input.max));
    if (typed.trim() === '') return onSet(null);
    const stored = Number(typed) * input.scale;
    onSet(input.scale === 1 ? stored : Math.round(stored));
  };
  const empty = input.is === 'text' ? undefined : input.empty;
  return (
    <span className="flex items-center gap-2">
      <TextField
        id={id}
        inputMode={input.is === 'number' ? 'decimal' : undefined}
        value={text}
        placeholder={empty === undefined ? '' : emptyWords(empty)}
        aria-invalid={problem !== null}
        aria-describedby={problem === null ? `${id}-use` : `${id}-problem`}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={save}
        onKeyDown={(e) => {
          if (e.key === 'Enter') save();
          if (e.key === 'Escape' && typed !== null) {
            e.stopPropagation();
            setTyped(null);
          }
        }}
        className={input.is === 'number' ? 'w-28 font-mono' : 'w-full'}
      />
      {figure.unit === undefined ? null : <span className="text-dim">{figure.unit}</span>}
      {empty === 'unknown' && text !== '' ? (
        <button
          type="button"
          // Tab goes from figure to figure; whoever types empties the field instead.
          tabIndex={-1}
          aria-label={`${figure.label}: not known`}
          onClick={() => {
            setTyped(null);
            onSet(null);
          }}
          className="text-[12px] text-dim underline hover:text-ink focus-visible:outline-2 focus-visible:outline-jade"
        >
          not known
        </button>
      ) : null}
      {problem === null ? null : (
        <span role="alert" id={`${id}-problem`} className="text-[12px] text-madder">
          {problem}
        </span>
      )}
    </span>
  );
}
