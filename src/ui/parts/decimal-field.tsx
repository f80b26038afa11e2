import { readDecimal } from '@/core/formats/table';
import { plain } from './units';
import { OneField } from './one-field';

/** A number with decimals within bounds, or nothing: it saves with Enter or on leaving it. */
export function DecimalField({
  label,
  value,
  min,
  max,
  onSave,
}: {
  label: string;
  value: number | null;
  min: number;
  max: number;
  onSave: (value: number | null) => void;
}) {
  const isWithin = (text: string) => {
    const read = readDecimal(text);
    return read !== null && read >= min && read <= max;
  };
  return (
    <OneField
      label={label}
      mono
      value={value === null ? '' : String(value)}
      check={(text) => (text.trim() === '' || isWithin(text) ? null : `From ${plain(min)} to ${plain(max)}.`)}
      onSave={(text) => onSave(readDecimal(text))}
    />
  );
}
