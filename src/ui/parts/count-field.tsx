import { useState } from 'react';
import { TextField } from './controls';

/**
 * A whole number within bounds. What is typed stands as it is typed, empty too, so that one figure can be replaced by another; the
 * nearest number within bounds counts, and stands there when one leaves the field.
 */
export function CountField({
  value,
  min = 1,
  max,
  onChange,
  ...rest
}: {
  value: number;
  min?: number;
  max: number;
  onChange: (value: number) => void;
  autoFocus?: boolean;
  className?: string;
  'aria-label'?: string;
  onFocus?: () => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  return (
    <TextField
      {...rest}
      inputMode="numeric"
      value={typed ?? String(value)}
      onChange={(e) => {
        const digits = e.target.value.replace(/\D/g, '').slice(0, 9);
        setTyped(digits);
        if (digits !== '') onChange(Math.min(max, Math.max(min, Number(digits))));
      }}
      onBlur={() => setTyped(null)}
    />
  );
}
