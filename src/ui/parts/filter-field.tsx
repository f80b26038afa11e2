import { TextField } from './controls';

/** Letters that rows have to have in them to be shown. */
export function FilterField({
  what,
  value,
  onChange,
  className = 'w-[110px]',
  ...rest
}: {
  /** What is filtered, as several: devices. */
  what: string;
  value: string;
  onChange: (text: string) => void;
  className?: string;
  title?: string;
  autoFocus?: boolean;
}) {
  return (
    <TextField
      type="search"
      aria-label={`Filter ${what}`}
      placeholder="Filter"
      value={value}
      onChange={(e) => onChange(e.target.value)}
      className={className}
      {...rest}
    />
  );
}
