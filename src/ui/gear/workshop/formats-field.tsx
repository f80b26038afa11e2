import type { FormatRange } from '@/core/streams/capability';
import { ENCODINGS, PACKET_TIMES_US, RATES_HZ } from '@/core/streams/format';
import { Button } from '@/ui/parts/controls';
import { CountField } from '@/ui/parts/count-field';
import { kHz, packetTime } from '@/ui/parts/units';

const FORMATS_MAX = 32;
const MANDATORY: FormatRange = { encodings: ['L24'], ratesHz: [48_000], packetTimesUs: [1000], channelsMax: 8 };

/** Ranges of stream formats: every combination of what is ticked in one row. */
export function FormatsField({
  label,
  formats,
  onSet,
}: {
  label: string;
  formats: readonly FormatRange[];
  onSet: (formats: readonly FormatRange[]) => void;
}) {
  const put = (n: number, change: Partial<FormatRange>) =>
    onSet(formats.map((f, k) => (k === n ? { ...f, ...change } : f)));
  return (
    <>
      {formats.map((format, n) => (
        <div
          key={n}
          role="group"
          aria-label={`${label} ${n + 1}`}
          className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1 rounded border border-line px-2 py-1 text-[12px]"
        >
          <Ticks of={ENCODINGS} now={format.encodings} word={(e) => e} onSet={(encodings) => put(n, { encodings })} />
          <Ticks
            of={RATES_HZ}
            now={format.ratesHz}
            word={(r) => `${kHz(r)} kHz`}
            onSet={(ratesHz) => put(n, { ratesHz })}
          />
          <Ticks
            of={PACKET_TIMES_US}
            now={format.packetTimesUs}
            word={packetTime}
            onSet={(packetTimesUs) => put(n, { packetTimesUs })}
          />
          <label className="flex items-center gap-1.5">
            up to
            <CountField
              max={120}
              value={format.channelsMax}
              onChange={(channelsMax) => put(n, { channelsMax })}
              className="w-14 font-mono"
            />
            channels
          </label>
          <Button
            tone="quiet"
            className="ml-auto"
            aria-label={`Remove ${label.toLowerCase()} ${n + 1}`}
            onClick={() => onSet(formats.filter((_, k) => k !== n))}
          >
            Remove
          </Button>
        </div>
      ))}
      {formats.length < FORMATS_MAX ? (
        <Button className="mt-1" onClick={() => onSet([...formats, formats.at(-1) ?? MANDATORY])}>
          Add format
        </Button>
      ) : null}
    </>
  );
}

function Ticks<T extends string | number>({
  of,
  now,
  word,
  onSet,
}: {
  of: readonly T[];
  now: readonly T[];
  word: (value: T) => string;
  onSet: (values: readonly T[]) => void;
}) {
  return (
    <span className="flex items-center gap-x-2.5">
      {of.map((value) => (
        <label key={value} className="flex items-center gap-1">
          <input
            type="checkbox"
            checked={now.includes(value)}
            // What stands first is preferred: a new one comes last.
            onChange={(e) => onSet(e.target.checked ? [...now, value] : now.filter((v) => v !== value))}
            className="accent-jade"
          />
          {word(value)}
        </label>
      ))}
    </span>
  );
}
