'use client';

import { SRC_PLACES, WHEN_REFERENCE_LOST, type ClockAbility } from '@/core/clocks/clock-ability';
import type { Model } from '@/core/models/models-table';
import type { Plan } from '@/core/plan/plan';
import { fromZeroUp, orNothing } from '@/ui/parts/checks';
import { Choice, Tick } from '@/ui/parts/choice';
import { WHEN_LOST_WORDS } from '@/ui/parts/clock-words';
import { PanelHeading } from '@/ui/parts/controls';
import { OneField } from '@/ui/parts/one-field';
import { count } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';

const SRC_CHOICES = { none: 'none', inputs: 'on network inputs', between: 'between its sides' } as const;

/** What all devices of a model do as clocks. */
export function ClockModelForm({ plan, model, ability }: { plan: Plan; model: Model; ability: ClockAbility }) {
  const put = (title: string, change: Partial<ClockAbility>) =>
    void commit(`${title} of ${model.name}`, [
      { kind: 'put-model', model: { ...model, clock: { ...ability, ...change } } },
    ]);
  const devices = [...plan.devices.values()].filter((d) => d.modelId === model.id).length;
  const figure = (label: string, field: 'holdoverSeconds' | 'freePpm' | 'relockMs') => (
    <OneField
      label={label}
      mono
      value={ability[field] === null ? '' : String(ability[field])}
      check={orNothing(fromZeroUp)}
      onSave={(v) =>
        put(v.trim() === '' ? `leave “${label}” unknown` : `set “${label}” to ${v}`, {
          [field]: v.trim() === '' ? null : Number(v),
        })
      }
    />
  );
  return (
    <>
      <PanelHeading>
        The model: {model.name}, {count(devices, 'device')}
      </PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <Choice
          label="Without its reference it"
          value={ability.whenReferenceLost}
          of={WHEN_REFERENCE_LOST}
          word={(w) => WHEN_LOST_WORDS[w]}
          onChoose={(whenReferenceLost) => put('change the behaviour without reference', { whenReferenceLost })}
        />
        <Choice
          label="Sample-rate converter"
          value={ability.src}
          of={SRC_PLACES}
          word={(place) => SRC_CHOICES[place]}
          onChoose={(src) => put('change the sample-rate converter', { src })}
        />
        {figure('Hold-over, s', 'holdoverSeconds')}
        {figure('Alone within, ppm', 'freePpm')}
        {figure('Locks within, ms', 'relockMs')}
      </div>
      <Tick
        label="its other side may have a clock of its own"
        is={ability.clockGroups === 2}
        onChange={(is) => put('change the clock groups', { clockGroups: is ? 2 : 1 })}
      />
      <Tick
        label="runs on a battery"
        is={ability.isBattery}
        onChange={(isBattery) => put('change “runs on a battery”', { isBattery })}
      />
    </>
  );
}
