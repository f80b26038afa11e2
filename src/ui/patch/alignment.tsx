import { byName } from '@/core/plan/name-order';
import { useState } from 'react';
import { airDelayNs, speedOfSound } from '@/core/delay/air';
import { freeId } from '@/core/edits/propose-devices';
import type { CoherenceGroup } from '@/core/delay/coherence-groups-table';
import type { Plan } from '@/core/plan/plan';
import type { ChannelSettings } from '@/core/signal/channel-settings-table';
import { USUAL_CELSIUS } from '@/core/signal/follow';
import type { SignalEnd } from '@/core/signal/signal-end';
import { Button, Labelled, PanelHeading, SelectField, TextField } from '@/ui/parts/controls';
import { DecimalField } from '@/ui/parts/decimal-field';
import { endWords } from '@/ui/parts/signal-words';
import { count, time } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import type { View } from '@/ui/session/plan-store';

const FOOT_METRES = 0.3048;
const DELAY_MAX_NS = 10_000_000_000;
const UNITS = ['ms', 'm', 'ft'] as const;
type Unit = (typeof UNITS)[number];
const UNIT_WORDS: Readonly<Record<Unit, string>> = { ms: 'milliseconds', m: 'metres of air', ft: 'feet of air' };

/** Nanoseconds of a delay as it is typed: a time, or so much air. */
function nsOf(value: number, unit: Unit, celsius: number): number {
  if (unit === 'ms') return Math.round(value * 1e6);
  return Math.round(airDelayNs(unit === 'm' ? value : value * FOOT_METRES, celsius));
}

function shownIn(ns: number, unit: Unit, celsius: number): number {
  const metres = (ns / 1e9) * speedOfSound(celsius);
  const value = unit === 'ms' ? ns / 1e6 : unit === 'm' ? metres : metres / FOOT_METRES;
  return Number(value.toFixed(3));
}

const same = (a: SignalEnd, b: SignalEnd) =>
  a.deviceId === b.deviceId && a.terminalId === b.terminalId && a.channel === b.channel;

/** The delay that is set at an output, its measured distance, and with which others it must sound together. */
export function Alignment({
  plan,
  end,
  settings,
  onChange,
}: {
  plan: Plan;
  end: SignalEnd;
  settings: ChannelSettings;
  onChange: (what: string, change: Partial<ChannelSettings>) => void;
}) {
  const [unit, setUnit] = useState<Unit>('ms');
  const [newName, setNewName] = useState('');
  const celsius = settings.airCelsius ?? USUAL_CELSIUS;
  const delay = settings.outputDelayNs;
  const distance = settings.distanceMetres;
  const groups = [...plan.coherenceGroups.values()];
  const own = groups.find((g) => g.members.some((m) => same(m, end)));
  const join = (groupId: string) => {
    const changed: CoherenceGroup[] = [];
    if (own !== undefined) changed.push({ ...own, members: own.members.filter((m) => !same(m, end)) });
    const next = plan.coherenceGroups.get(groupId);
    if (next !== undefined) changed.push({ ...next, members: [...next.members, end] });
    void commit(
      `${endWords(plan, end)} sounds ${next === undefined ? 'by itself' : `with ${next.name}`}`,
      changed.map((group) => ({ kind: 'put-coherence-group', group })),
    );
  };
  const create = () => {
    const name = newName.trim();
    if (name === '') return;
    const group = { id: freeId(name, plan.coherenceGroups), name, members: [end] };
    setNewName('');
    void commit(`create the coherence group ${name}`, [{ kind: 'put-coherence-group', group }]);
  };
  return (
    <>
      <PanelHeading>Alignment</PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <DecimalField
          label={`Output delay, ${unit}`}
          value={delay === null ? null : shownIn(delay, unit, celsius)}
          min={0}
          max={shownIn(DELAY_MAX_NS, unit, celsius)}
          onSave={(value) =>
            onChange('output delay', { outputDelayNs: value === null ? null : nsOf(value, unit, celsius) })
          }
        />
        <Labelled label="Set as">
          <SelectField value={unit} onChange={(e) => setUnit(e.target.value as Unit)}>
            {UNITS.map((u) => (
              <option key={u} value={u}>
                {UNIT_WORDS[u]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <DecimalField
          label="Distance to listeners, m"
          value={distance}
          min={0}
          max={100_000}
          onSave={(distanceMetres) => onChange('distance', { distanceMetres })}
        />
        <DecimalField
          label="Air, °C"
          value={settings.airCelsius}
          min={-60}
          max={60}
          onSave={(airCelsius) => onChange('air temperature', { airCelsius })}
        />
        <Labelled label="Measured on">
          <TextField
            type="date"
            value={settings.measuredOn ?? ''}
            onChange={(e) =>
              onChange('date of measuring', { measuredOn: e.target.value === '' ? null : e.target.value })
            }
          />
        </Labelled>
        <Labelled label="Sounds together with">
          <SelectField value={own?.id ?? ''} onChange={(e) => join(e.target.value)}>
            <option value="">no group</option>
            {groups.map((g) => (
              <option key={g.id} value={g.id}>
                {g.name}
              </option>
            ))}
          </SelectField>
        </Labelled>
      </div>
      {own === undefined ? (
        <form
          className="mt-2 flex gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            create();
          }}
        >
          <TextField
            aria-label="Name of a new coherence group"
            placeholder="A new group"
            maxLength={120}
            value={newName}
            onChange={(e) => setNewName(e.target.value)}
            className="min-w-0 flex-1"
          />
          <Button type="submit" disabled={newName.trim() === ''}>
            Create
          </Button>
        </form>
      ) : null}
      {distance === null ? null : (
        <p className="mt-2 text-dim">
          {distance} m of air at {celsius} °C: {time(airDelayNs(distance, celsius))}.
        </p>
      )}
    </>
  );
}

/** The coherence groups of a plan, each with the offset that fits all its paths and how far apart they are. */
export function CoherenceList({ plan, view }: { plan: Plan; view: View }) {
  const delays = useWorkerAnswer({
    question: 'coherence',
    about: [view],
    ask: (worker) => worker.coherence(),
    failed: 'The coherence groups could not be worked out',
  });
  const groups = [...plan.coherenceGroups.values()].sort(byName);
  if (groups.length === 0) return null;
  return (
    <>
      <PanelHeading>Coherence groups</PanelHeading>
      <ul aria-label="Coherence groups" className="flex flex-col gap-1">
        {groups.map((g) => {
          const delay = delays?.find((d) => d.groupId === g.id);
          return (
            <li key={g.id} className="flex items-baseline gap-2">
              <span className="min-w-0 flex-1 truncate">
                {g.name} <span className="text-dim">{count(g.members.length, 'output')}</span>
              </span>
              <span className="shrink-0 text-[12px] text-dim">
                {delay?.sharedNs == null ? 'not over the network' : `offset ${time(delay.sharedNs)}`}
                {delay !== undefined && delay.spreadNs > 0 ? `, ${time(delay.spreadNs)} apart` : ''}
              </span>
              <Button
                tone="quiet"
                aria-label={`Remove ${g.name}`}
                onClick={() => void commit(`remove ${g.name}`, [{ kind: 'remove-coherence-group', groupId: g.id }])}
              >
                Remove
              </Button>
            </li>
          );
        })}
      </ul>
    </>
  );
}
