import {
  CONNECTORS,
  DIRECTIONS,
  PLAIN_LEVEL,
  SIDE_TRAFFIC,
  SIGNAL_FORMATS,
  TAPS,
  TERMINAL_KINDS,
  type LevelFacts,
  type StatedTerminal,
} from '@/core/signal/terminal-shape';
import type { Terminal } from '@/core/signal/terminals';
import { Button, CheckField, SelectField } from '@/ui/parts/controls';
import { CountField } from '@/ui/parts/count-field';
import { DIRECTION_WORDS, TAP_WORDS, TERMINAL_KIND_WORDS } from '@/ui/parts/signal-words';
import { Field, NameField, PickedField, NumberField } from './terminal-inputs';

/** One terminal of a model: its channels, what they are, and how they can be led. */
export function OneTerminal({
  terminal,
  all,
  hasOtherSide,
  onSet,
  onRemove,
}: {
  terminal: StatedTerminal;
  all: readonly Terminal[];
  /** Whether the device has another side with a clock of its own. */
  hasOtherSide: boolean;
  onSet: (change: Partial<StatedTerminal>) => void;
  onRemove: () => void;
}) {
  const isImplied = terminal.kind === 'network' || terminal.kind === 'slots';
  const inputs = all.filter((t) => t.direction !== 'out' && t.id !== terminal.id);
  const named = (field: string) => `${field} of ${terminal.name}`;
  const nameOf = (id: string) => all.find((t) => t.id === id)?.name ?? id;
  return (
    <details className="rounded border border-line">
      <summary className="cursor-pointer px-2 py-1 text-[12px] focus-visible:outline-2 focus-visible:outline-jade">
        <span className="font-medium">{terminal.name}</span>
        <span className="text-dim">
          {' '}
          {TERMINAL_KIND_WORDS[terminal.kind]}, {DIRECTION_WORDS[terminal.direction]}
          {isImplied ? '' : `, ${terminal.channels}`}
          {terminal.normalledTo === null ? '' : `, normalled to ${nameOf(terminal.normalledTo)}`}
        </span>
      </summary>
      <div className="grid grid-cols-3 gap-x-3 gap-y-2 border-t border-line p-2 text-[12px] max-md:grid-cols-1">
        <Field label="Name as printed">
          <NameField label={named('Name')} value={terminal.name} onSet={(name) => onSet({ name })} />
        </Field>
        {isImplied ? null : (
          <>
            <Field label="Kind">
              <SelectField
                aria-label={named('Kind')}
                value={terminal.kind}
                onChange={(e) => onSet({ kind: e.target.value as StatedTerminal['kind'] })}
              >
                {TERMINAL_KINDS.filter((k) => k !== 'network' && k !== 'slots').map((k) => (
                  <option key={k} value={k}>
                    {TERMINAL_KIND_WORDS[k]}
                  </option>
                ))}
              </SelectField>
            </Field>
            <Field label="Direction">
              <SelectField
                aria-label={named('Direction')}
                value={terminal.direction}
                onChange={(e) =>
                  onSet({
                    direction: e.target.value as StatedTerminal['direction'],
                    ...(e.target.value === 'in'
                      ? { normalledTo: null, patchFrom: [], sendsFrom: [], mixes: null }
                      : {}),
                  })
                }
              >
                {DIRECTIONS.map((d) => (
                  <option key={d} value={d}>
                    {DIRECTION_WORDS[d]}
                  </option>
                ))}
              </SelectField>
            </Field>
            <Field label="Channels">
              <CountField
                aria-label={named('Channels')}
                max={4096}
                value={terminal.channels}
                onChange={(channels) => onSet({ channels })}
              />
            </Field>
          </>
        )}
        <Field label="Counts from">
          <CountField
            aria-label={named('First number')}
            min={0}
            max={9999}
            value={terminal.countsFrom}
            onChange={(countsFrom) => onSet({ countsFrom })}
          />
        </Field>
        <Field label="Connector">
          <PickedField
            label={named('Connector')}
            value={terminal.connector}
            none="not stated"
            options={CONNECTORS.map((c) => [c, c])}
            onSet={(connector) => onSet({ connector })}
          />
        </Field>
        <Field label="Delay, ms">
          <NumberField
            label={named('Delay')}
            value={terminal.delayNs === null ? null : terminal.delayNs / 1e6}
            min={0}
            max={10_000}
            onSet={(ms) => onSet({ delayNs: ms === null ? null : Math.round(ms * 1e6) })}
          />
        </Field>
        <Several
          label="Can be set to"
          of={SIGNAL_FORMATS}
          list={terminal.formats}
          onSet={(formats) => onSet({ formats })}
        />
        <Several
          label="Carries beside sound"
          of={SIDE_TRAFFIC}
          list={terminal.carries}
          onSet={(carries) => onSet({ carries })}
        />
        <Several
          label="Taps it offers"
          of={TAPS}
          list={terminal.taps}
          word={(t) => TAP_WORDS[t]}
          onSet={(taps) => onSet({ taps })}
        />
        <FeedFields terminal={terminal} inputs={inputs} onSet={onSet} />
        <CheckField
          className="items-end pb-1.5"
          label="changes the sound (effect)"
          isChecked={terminal.isEffect}
          onSet={(is) => onSet({ isEffect: is })}
        />
        {hasOtherSide || terminal.isOtherSide ? (
          <CheckField
            className="items-end pb-1.5"
            label="keeps the clock of the other side"
            isChecked={terminal.isOtherSide}
            onSet={(is) => onSet({ isOtherSide: is })}
          />
        ) : null}
        <CheckField
          className="items-end pb-1.5"
          label="has an analogue side"
          isChecked={terminal.level !== null}
          onSet={(is) => onSet({ level: is ? PLAIN_LEVEL : null })}
        />
        {terminal.level === null ? null : (
          <LevelFields terminal={terminal} level={terminal.level} onSet={(level) => onSet({ level })} />
        )}
        <span className="col-span-full text-right">
          <Button tone="quiet" aria-label={`Remove ${terminal.name}`} onClick={onRemove}>
            Remove
          </Button>
        </span>
      </div>
    </details>
  );
}

/** Which of several a terminal has, in their usual order. */
function Several<T extends string>({
  label,
  of,
  list,
  word = String,
  onSet,
}: {
  label: string;
  of: readonly T[];
  list: readonly T[];
  word?: (value: T) => string;
  onSet: (list: readonly T[]) => void;
}) {
  return (
    <fieldset className="col-span-full flex flex-wrap items-center gap-x-3 gap-y-1">
      <legend className="float-left mr-2 w-[120px] text-dim">{label}</legend>
      {of.map((v) => (
        <CheckField
          key={v}
          label={word(v)}
          isChecked={list.includes(v)}
          onSet={() => onSet(of.filter((w) => (w === v ? !list.includes(w) : list.includes(w))))}
        />
      ))}
    </fieldset>
  );
}

/** What can be led to a terminal within the device. @param inputs the terminals that it can be led from */
function FeedFields({
  terminal,
  inputs,
  onSet,
}: {
  terminal: StatedTerminal;
  inputs: readonly Terminal[];
  onSet: (change: Partial<StatedTerminal>) => void;
}) {
  const named = (field: string) => `${field} of ${terminal.name}`;
  const inputIds = inputs.map((t) => t.id);
  const nameOf = (id: string) => inputs.find((t) => t.id === id)?.name ?? id;
  const options = inputs.map((t) => [t.id, t.name] as const);
  return (
    <>
      {terminal.direction === 'in' ? null : (
        <>
          <Field label="Normalled to">
            <PickedField
              label={named('Normal feed')}
              value={terminal.normalledTo}
              none="nothing"
              options={options}
              onSet={(normalledTo) => onSet({ normalledTo })}
            />
          </Field>
          <Field label="Patched in blocks of">
            <CountField
              aria-label={named('Block size')}
              max={64}
              value={terminal.blockSize}
              onChange={(blockSize) => onSet({ blockSize })}
            />
          </Field>
          <CheckField
            className="items-end pb-1.5"
            label="single channels can be excepted"
            isChecked={terminal.hasExceptions}
            onSet={(is) => onSet({ hasExceptions: is })}
          />
          <Several
            label="Patched from"
            of={inputIds}
            list={terminal.patchFrom}
            word={nameOf}
            onSet={(patchFrom) => onSet({ patchFrom })}
          />
        </>
      )}
      {terminal.kind === 'bus' ? (
        <>
          <Several
            label="Sends from"
            of={inputIds}
            list={terminal.sendsFrom}
            word={nameOf}
            onSet={(sendsFrom) => onSet({ sendsFrom })}
          />
          <Field label="Always mixes all of">
            <PickedField
              label={named('What is always mixed')}
              value={terminal.mixes}
              none="nothing"
              options={options}
              onSet={(mixes) => onSet({ mixes })}
            />
          </Field>
        </>
      ) : null}
    </>
  );
}

const LEVEL_FIGURES: readonly (readonly [key: keyof LevelFacts, label: string, min: number])[] = [
  ['gainMinDb', 'Least gain, dB', -200],
  ['gainMaxDb', 'Most gain, dB', -200],
  ['gainStepDb', 'Gain step, dB', 0],
  ['padDb', 'Pad, dB', 0],
  ['nominalDbu', 'Nominal level, dBu', -200],
  ['fullScaleDbu', 'Full scale, dBu', -200],
  ['impedanceOhm', 'Impedance, Ω', 0],
  ['powerW', 'Power, W', 0],
  ['loadMinOhm', 'Smallest load, Ω', 0],
];

function LevelFields({
  terminal,
  level,
  onSet,
}: {
  terminal: StatedTerminal;
  level: LevelFacts;
  onSet: (level: LevelFacts) => void;
}) {
  return (
    <>
      {LEVEL_FIGURES.map(([key, label, min]) => (
        <Field key={key} label={label}>
          <NumberField
            label={`${label} of ${terminal.name}`}
            value={level[key] as number | null}
            min={min}
            onSet={(value) => onSet({ ...level, [key]: value })}
          />
        </Field>
      ))}
      {(
        [
          ['hasPhantom', 'supplies phantom power'],
          ['isBalanced', 'balanced'],
        ] as const
      ).map(([key, label]) => (
        <CheckField
          key={key}
          className="items-end pb-1.5"
          label={label}
          isChecked={level[key]}
          onSet={(is) => onSet({ ...level, [key]: is })}
        />
      ))}
    </>
  );
}
