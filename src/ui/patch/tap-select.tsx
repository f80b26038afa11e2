import { TAPS, type Tap } from '@/core/signal/terminal-shape';
import { SelectField } from '@/ui/parts/controls';
import { TAP_WORDS } from '@/ui/parts/signal-words';

/** One of some taps, in the order of the strip, or none in particular. */
export function TapSelect({
  label,
  taps = TAPS,
  value,
  none,
  onSet,
  className = '',
}: {
  /** Where no label stands around it. */
  label?: string;
  taps?: readonly Tap[];
  value: Tap | null;
  /** What stands for none in particular. */
  none: string;
  onSet: (tap: Tap | null) => void;
  className?: string;
}) {
  return (
    <SelectField
      {...(label === undefined ? {} : { 'aria-label': label })}
      value={value ?? ''}
      onChange={(e) => onSet(e.target.value === '' ? null : (e.target.value as Tap))}
      className={className}
    >
      <option value="">{none}</option>
      {TAPS.filter((t) => taps.includes(t)).map((t) => (
        <option key={t} value={t}>
          {TAP_WORDS[t]}
        </option>
      ))}
    </SelectField>
  );
}
