import { useState, type ReactNode } from 'react';
import { readDecimal } from '@/core/formats/table';
import { SelectField, TextField } from '@/ui/parts/controls';
import { plain } from '@/ui/parts/units';

/** A field under its label. */
export function Field({ label, children }: { label: string; children: ReactNode }) {
  return (
    <span className="flex flex-col gap-0.5 text-dim">
      {label}
      {children}
    </span>
  );
}

/** One of some, or none. */
export function PickedField<T extends string>({
  label,
  value,
  none,
  options,
  onSet,
}: {
  label: string;
  value: T | null;
  /** What none of them is called. */
  none: string;
  options: readonly (readonly [T, string])[];
  onSet: (value: T | null) => void;
}) {
  return (
    <SelectField aria-label={label} value={value ?? ''} onChange={(e) => onSet((e.target.value || null) as T | null)}>
      <option value="">{none}</option>
      {options.map(([id, words]) => (
        <option key={id} value={id}>
          {words}
        </option>
      ))}
    </SelectField>
  );
}

/** A name, which may be empty only while it is typed. */
export function NameField({ label, value, onSet }: { label: string; value: string; onSet: (name: string) => void }) {
  const [isEmpty, setEmpty] = useState(false);
  return (
    <>
      <TextField
        aria-label={label}
        maxLength={80}
        aria-invalid={isEmpty}
        value={isEmpty ? '' : value}
        onChange={(e) => {
          const isNone = e.target.value.trim() === '';
          setEmpty(isNone);
          if (!isNone) onSet(e.target.value);
        }}
        onBlur={() => setEmpty(false)}
      />
      {isEmpty ? (
        <span role="alert" className="text-madder">
          A terminal needs a name.
        </span>
      ) : null}
    </>
  );
}

/** A figure that may be unknown. What is no number, or beyond its bounds, is not taken over. */
export function NumberField({
  label,
  value,
  min,
  max = Infinity,
  onSet,
}: {
  label: string;
  value: number | null;
  min: number;
  max?: number;
  onSet: (value: number | null) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const text = typed ?? (value === null ? '' : String(value));
  const isEmpty = text.trim() === '';
  const read = readDecimal(text);
  const isTaken = isEmpty || (read !== null && read >= min && read <= max);
  return (
    <>
      <TextField
        aria-label={label}
        inputMode="decimal"
        className="font-mono"
        placeholder="not known"
        aria-invalid={!isTaken}
        value={text}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={() => {
          if (!isTaken) return;
          if (typed !== null) onSet(read);
          setTyped(null);
        }}
      />
      {isTaken ? null : (
        <span role="alert" className="text-madder">
          {max === Infinity ? `A number from ${plain(min)}.` : `From ${plain(min)} to ${plain(max)}.`}
        </span>
      )}
    </>
  );
}
