import { Labelled, SelectField } from './controls';

/** One of several values, each with its words. Calls back only with a value of the list. */
export function Choice<T extends string | number>({
  label,
  value,
  of,
  word,
  onChoose,
}: {
  label: string;
  value: T;
  of: readonly T[];
  word: (value: T) => string;
  onChoose: (value: T) => void;
}) {
  return (
    <Labelled label={label}>
      <SelectField
        value={value}
        onChange={(e) => {
          const chosen = of.find((v) => String(v) === e.target.value);
          if (chosen !== undefined) onChoose(chosen);
        }}
      >
        {of.map((v) => (
          <option key={v} value={v}>
            {word(v)}
          </option>
        ))}
      </SelectField>
    </Labelled>
  );
}

interface Named {
  readonly id: string;
  readonly name: string;
}

/** One record of several by its name, or none. */
export function NamedChoice({
  label,
  value,
  of,
  none,
  onChoose,
}: {
  label: string;
  value: string | null;
  of: readonly Named[];
  none: string;
  onChoose: (id: string | null) => void;
}) {
  const names = new Map(of.map((r) => [r.id, r.name]));
  return (
    <Choice
      label={label}
      value={value ?? ''}
      of={['', ...names.keys()]}
      word={(id) => names.get(id) ?? none}
      onChoose={(id) => onChoose(id === '' ? null : id)}
    />
  );
}

/** Picks a record to add to a list; stays where it is. Nothing to pick: nothing to see. */
export function AddChoice({
  label,
  of,
  onChoose,
}: {
  label: string;
  of: readonly Named[];
  onChoose: (id: string) => void;
}) {
  if (of.length === 0) return null;
  return (
    <SelectField
      aria-label={label}
      value=""
      className="mt-1 w-full"
      onChange={(e) => e.target.value !== '' && onChoose(e.target.value)}
    >
      <option value="">{label} …</option>
      {of.map((r) => (
        <option key={r.id} value={r.id}>
          {r.name}
        </option>
      ))}
    </SelectField>
  );
}

/** Something that is so or not. What the model cannot do says so. */
export function Tick({
  label,
  is,
  isPossible = true,
  onChange,
}: {
  label: string;
  is: boolean;
  isPossible?: boolean;
  onChange: (is: boolean) => void;
}) {
  return (
    <label className="flex items-center gap-2 py-0.5">
      <input
        type="checkbox"
        checked={is}
        disabled={!isPossible}
        onChange={(e) => onChange(e.target.checked)}
        className="accent-jade"
      />
      <span className={isPossible ? '' : 'text-dim'}>
        {label}
        {isPossible ? '' : ' (not supported by the model)'}
      </span>
    </label>
  );
}
