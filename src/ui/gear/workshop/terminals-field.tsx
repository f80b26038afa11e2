'use client';

import { useState, type ReactNode } from 'react';
import { freeId } from '@/core/edits/propose-devices';
import type { Model } from '@/core/models/models-table';
import {
  CONNECTORS,
  DIRECTIONS,
  PLAIN_LEVEL,
  PLAIN_TERMINAL,
  SIGNAL_FORMATS,
  TAPS,
  TERMINAL_KINDS,
  type Connector,
  type LevelFacts,
  type StatedTerminal,
} from '@/core/signal/terminal-shape';
import { terminalProblem, terminalsOf, type Terminal } from '@/core/signal/terminals';
import { Button, SelectField, TextField } from '@/ui/parts/controls';
import { CountField } from '@/ui/parts/count-field';
import { DIRECTION_WORDS, TAP_WORDS, TERMINAL_KIND_WORDS } from '@/ui/parts/signal-words';

const TERMINALS_MAX = 64;

/** What a model has beside the network: sockets, strips, buses, and how its channels can be led. Patches of the plan hold on to terminals by their ids. */
export function TerminalsField({
  model,
  terminals,
  onSet,
}: {
  /** As it would be with what was set so far. */
  model: Model;
  terminals: readonly StatedTerminal[];
  onSet: (terminals: readonly StatedTerminal[]) => void;
}) {
  const all = terminalsOf({ ...model, terminals });
  const problem = terminalProblem({ ...model, terminals });
  const put = (n: number, change: Partial<StatedTerminal>) =>
    onSet(terminals.map((t, k) => (k === n ? { ...t, ...change } : t)));
  const unstated = all.filter(
    (t) => (t.kind === 'network' || t.kind === 'slots') && !terminals.some((s) => s.id === t.id),
  );
  const add = () => {
    const id = freeId('terminal', new Map(all.map((t) => [t.id, t])));
    const name = `Terminal ${terminals.length + 1}`;
    onSet([...terminals, { ...PLAIN_TERMINAL, id, name, kind: 'connector', direction: 'in', channels: 8 }]);
  };
  return (
    <div className="mt-1 flex flex-col gap-1">
      {terminals.map((terminal, n) => (
        <OneTerminal
          key={terminal.id}
          terminal={terminal}
          all={all}
          onSet={(change) => put(n, change)}
          onRemove={() => onSet(terminals.filter((_, k) => k !== n))}
        />
      ))}
      {problem === null ? null : (
        <p role="alert" className="text-[12px] text-madder">
          Cannot be so:{' '}
          {problem.path.replace(/^terminals\[(\d+)\]\./, (_, n: string) => `${terminals[Number(n)]?.name ?? ''}, `)}
          {problem.limit === undefined ? '' : ` (${problem.limit})`}.
        </p>
      )}
      {terminals.length >= TERMINALS_MAX ? null : (
        <span className="mt-1 flex flex-wrap items-center gap-2 text-[12px]">
          <Button onClick={add}>Add a terminal</Button>
          {unstated.map((t) => (
            <Button
              key={t.id}
              onClick={() => {
                const { normalledChannels: _count, ...stated } = t;
                onSet([...terminals, stated]);
              }}
            >
              State how {t.name.toLowerCase()} is patched
            </Button>
          ))}
        </span>
      )}
    </div>
  );
}

const toggled = <T,>(list: readonly T[], value: T, order: readonly T[]): readonly T[] =>
  order.filter((v) => (v === value ? !list.includes(v) : list.includes(v)));

function OneTerminal({
  terminal,
  all,
  onSet,
  onRemove,
}: {
  terminal: StatedTerminal;
  all: readonly Terminal[];
  onSet: (change: Partial<StatedTerminal>) => void;
  onRemove: () => void;
}) {
  const isImplied = terminal.kind === 'network' || terminal.kind === 'slots';
  const inputs = all.filter((t) => t.direction !== 'out' && t.id !== terminal.id);
  const named = (field: string) => `${field} of ${terminal.name}`;
  const many = <T extends string>(
    field: string,
    of: readonly T[],
    list: readonly T[],
    word: (v: T) => string,
    key: keyof StatedTerminal,
  ) => (
    <fieldset className="col-span-full flex flex-wrap items-center gap-x-3 gap-y-1">
      <legend className="float-left mr-2 w-[120px] text-dim">{field}</legend>
      {of.map((v) => (
        <label key={v} className="flex items-center gap-1">
          <input
            type="checkbox"
            className="accent-jade"
            checked={list.includes(v)}
            onChange={() => onSet({ [key]: toggled(list, v, of) })}
          />
          {word(v)}
        </label>
      ))}
    </fieldset>
  );
  const nameOf = (id: string) => all.find((t) => t.id === id)?.name ?? id;
  const inputIds = inputs.map((t) => t.id);
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
          <TextField
            aria-label={named('Name')}
            maxLength={80}
            value={terminal.name}
            onChange={(e) => e.target.value.trim() !== '' && onSet({ name: e.target.value })}
          />
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
          <SelectField
            aria-label={named('Connector')}
            value={terminal.connector ?? ''}
            onChange={(e) => onSet({ connector: e.target.value === '' ? null : (e.target.value as Connector) })}
          >
            <option value="">not stated</option>
            {CONNECTORS.map((c) => (
              <option key={c} value={c}>
                {c}
              </option>
            ))}
          </SelectField>
        </Field>
        <Field label="Delay, ms">
          <NumberField
            label={named('Delay')}
            value={terminal.delayNs === null ? null : terminal.delayNs / 1e6}
            onSet={(ms) => onSet({ delayNs: ms === null ? null : Math.round(Math.max(0, Math.min(10_000, ms)) * 1e6) })}
          />
        </Field>
        {many('Can be set to', SIGNAL_FORMATS, terminal.formats, (f) => f, 'formats')}
        {many('Taps it offers', TAPS, terminal.taps, (t) => TAP_WORDS[t], 'taps')}
        {terminal.direction === 'in' ? null : (
          <>
            <Field label="Normalled to">
              <SelectField
                aria-label={named('Normal feed')}
                value={terminal.normalledTo ?? ''}
                onChange={(e) => onSet({ normalledTo: e.target.value === '' ? null : e.target.value })}
              >
                <option value="">nothing</option>
                {inputs.map((t) => (
                  <option key={t.id} value={t.id}>
                    {t.name}
                  </option>
                ))}
              </SelectField>
            </Field>
            <Field label="Patched in blocks of">
              <CountField
                aria-label={named('Block size')}
                max={64}
                value={terminal.blockSize}
                onChange={(blockSize) => onSet({ blockSize })}
              />
            </Field>
            <label className="flex items-end gap-1.5 pb-1.5">
              <input
                type="checkbox"
                className="accent-jade"
                checked={terminal.hasExceptions}
                onChange={(e) => onSet({ hasExceptions: e.target.checked })}
              />
              single channels can be excepted
            </label>
            {many('Patched from', inputIds, terminal.patchFrom, nameOf, 'patchFrom')}
          </>
        )}
        {terminal.kind === 'bus' ? (
          <>
            {many('Sends from', inputIds, terminal.sendsFrom, nameOf, 'sendsFrom')}
            <Field label="Always mixes all of">
              <SelectField
                aria-label={named('What is always mixed')}
                value={terminal.mixes ?? ''}
                onChange={(e) => onSet({ mixes: e.target.value === '' ? null : e.target.value })}
              >
                <option value="">nothing</option>
                {inputs.map((t) => (
                  <option key={t.id} value={t.id}>
                    {t.name}
                  </option>
                ))}
              </SelectField>
            </Field>
          </>
        ) : null}
        <label className="flex items-end gap-1.5 pb-1.5">
          <input
            type="checkbox"
            className="accent-jade"
            checked={terminal.isEffect}
            onChange={(e) => onSet({ isEffect: e.target.checked })}
          />
          gives another sound than it takes (effect)
        </label>
        <label className="flex items-end gap-1.5 pb-1.5">
          <input
            type="checkbox"
            className="accent-jade"
            checked={terminal.level !== null}
            onChange={(e) => onSet({ level: e.target.checked ? PLAIN_LEVEL : null })}
          />
          has an analogue side
        </label>
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

const LEVEL_FIGURES: readonly (readonly [keyof LevelFacts, string])[] = [
  ['gainMinDb', 'Least gain, dB'],
  ['gainMaxDb', 'Most gain, dB'],
  ['gainStepDb', 'Gain step, dB'],
  ['padDb', 'Pad, dB'],
  ['nominalDbu', 'Nominal level, dBu'],
  ['fullScaleDbu', 'Full scale, dBu'],
  ['impedanceOhm', 'Impedance, Ω'],
  ['powerW', 'Power, W'],
  ['loadMinOhm', 'Smallest load, Ω'],
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
      {LEVEL_FIGURES.map(([key, label]) => (
        <Field key={key} label={label}>
          <NumberField
            label={`${label} of ${terminal.name}`}
            value={level[key] as number | null}
            onSet={(value) => onSet({ ...level, [key]: value === null ? null : Math.max(-200, value) })}
          />
        </Field>
      ))}
      {(
        [
          ['hasPhantom', 'supplies phantom power'],
          ['isBalanced', 'balanced'],
        ] as const
      ).map(([key, label]) => (
        <label key={key} className="flex items-end gap-1.5 pb-1.5">
          <input
            type="checkbox"
            className="accent-jade"
            checked={level[key]}
            onChange={(e) => onSet({ ...level, [key]: e.target.checked })}
          />
          {label}
        </label>
      ))}
    </>
  );
}

function Field({ label, children }: { label: string; children: ReactNode }) {
  return (
    <span className="flex flex-col gap-0.5 text-dim">
      {label}
      {children}
    </span>
  );
}

/** A figure that may be unknown. What is no number is not taken over. */
function NumberField({
  label,
  value,
  onSet,
}: {
  label: string;
  value: number | null;
  onSet: (value: number | null) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const text = typed ?? (value === null ? '' : String(value));
  const read = Number(text.replace('−', '-').replace(',', '.'));
  return (
    <TextField
      aria-label={label}
      inputMode="decimal"
      className="font-mono"
      placeholder="not known"
      aria-invalid={text.trim() !== '' && !Number.isFinite(read)}
      value={text}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={() => {
        if (text.trim() === '') onSet(null);
        else if (Number.isFinite(read)) onSet(read);
        setTyped(null);
      }}
    />
  );
}
