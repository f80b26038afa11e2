'use client';

import { useEffect, useState } from 'react';
import { CLOCK_PROFILES, RELAY_KINDS, SRC_PLACES, WHEN_REFERENCE_LOST, type ClockAbility } from '@/core/clocks/ability';
import { plannedClock } from '@/core/clocks/clock-settings';
import { clockIdentityText, parseClockIdentity, type ComparedField } from '@/core/clocks/dataset';
import { INTERVAL_FIELDS, PROFILE_RULES } from '@/core/clocks/profiles';
import type { Model } from '@/core/models/model';
import type { Plan } from '@/core/plan/plan';
import { MEDIA_CLOCKS, type ClockSettings, type Device, type MediaClockSource } from '@/core/plan/records';
import { FindingList } from '@/ui/frame/finding-list';
import {
  FIELD_WORDS,
  grandmasterName,
  INTERVAL_WORDS,
  intervalValue,
  MEDIA_CLOCK_WORDS,
  originWords,
  paceWords,
  PORT_WORDS,
  problemWords,
  PROFILE_WORDS,
  referenceName,
  RELAY_WORDS,
  secondsWords,
  WHEN_LOST_WORDS,
} from '@/ui/parts/clock-words';
import { Button, Labelled, PanelHeading, SelectField } from '@/ui/parts/controls';
import { deviceName, subnetName } from '@/ui/parts/network-words';
import { OneField } from '@/ui/parts/one-field';
import { count } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';
import { reckonWorker, usePlan, type View } from '@/ui/session/plan-store';
import type { ClockView, WhyView } from '@/workers/clock-view';
import { roleOf } from './clock-rows';

const SRC_WORDS = {
  none: 'has no sample-rate converter',
  inputs: 'converts the rate on its network inputs',
  between: 'converts the rate between its two sides',
} as const;

/** One clock: what it does and why, what it is set to, what paces its samples, and what if it dies. */
export function ClockPanel({
  plan,
  view,
  clocks,
  device,
  isLost,
  onLose,
}: {
  plan: Plan;
  view: View;
  clocks: ClockView;
  device: Device;
  isLost: boolean;
  onLose: () => void;
}) {
  const planned = plannedClock(plan, device.id);
  const findings = view.findings.filter((f) => f.stage === 'clocks' && f.deviceIds.includes(device.id));
  if (planned === null) {
    return (
      <>
        <h2 className="pr-7 text-[14px] font-semibold">{device.name}</h2>
        <p className="text-dim">Takes no part in keeping time.</p>
      </>
    );
  }
  const { settings, ability } = planned;
  const save = (title: string, change: Partial<ClockSettings>) =>
    void commit(`${title} of ${device.name}`, [{ kind: 'put-clock', settings: { ...settings, ...change } }]);
  const kept = clocks.time.byDevice.get(device.id);
  const role = roleOf(kept, settings);
  const followers = [...clocks.time.byDevice.values()].filter(
    (k) => k.grandmasterId === device.id && k.deviceId !== device.id,
  ).length;
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{device.name}</h2>
      <p className="text-dim">
        {isLost
          ? 'Lost in this drill.'
          : role === 'grandmaster'
            ? `Grandmaster of ${count(followers, 'device')}.`
            : kept?.parentId != null
              ? `Hears ${deviceName(plan, kept.parentId)}${kept.parentId === kept.grandmasterId ? ', the grandmaster' : `; grandmaster is ${deviceName(plan, kept.grandmasterId ?? '')}, ${count(kept.stepsRemoved ?? 0, 'step')} away`}.`
              : role === 'stands by'
                ? 'Stands by, locked to its own reference.'
                : role === 'no PTP'
                  ? 'Runs no PTP.'
                  : 'Hears nobody.'}
      </p>
      <p className="mt-2">
        <Button onClick={onLose} disabled={isLost}>
          What if it dies?
        </Button>
      </p>
      {findings.length > 0 ? (
        <>
          <PanelHeading>What is wrong</PanelHeading>
          <FindingList findings={findings} plan={plan} />
        </>
      ) : null}
      <Why plan={plan} clocks={view.clocks} deviceId={device.id} />
      {kept !== undefined && kept.ports.length > 0 ? (
        <>
          <PanelHeading>Ports</PanelHeading>
          <ul className="text-[12px]">
            {kept.ports.map((p) => (
              <li key={`${p.interface} ${p.segment}`} className="flex justify-between gap-2">
                <span className="truncate">
                  {p.subnetId === null ? 'across routers' : subnetName(plan, p.subnetId)}
                </span>
                <span className="text-dim">{PORT_WORDS[p.state]}</span>
              </li>
            ))}
          </ul>
        </>
      ) : null}
      <InField plan={plan} deviceId={device.id} />
      <Pace plan={plan} clocks={clocks} device={device} settings={settings} ability={ability} save={save} />
      <Settings plan={plan} settings={settings} ability={ability} save={save} />
      <ModelAsClock plan={plan} model={planned.model} ability={ability} />
    </>
  );
}

/** What the device itself reports of its clock. */
function InField({ plan, deviceId }: { plan: Plan; deviceId: string }) {
  const clock = usePlan((s) => s.field.devices.get(deviceId)?.clock ?? null);
  if (clock === null) return null;
  return (
    <>
      <PanelHeading>In the field</PanelHeading>
      <p>
        {clock.gmid === null ? 'It reports no grandmaster' : `It follows ${grandmasterName(plan, clock.gmid)}`}
        {clock.gmid === null ? '' : clock.locked ? ', locked' : ', not locked'}
        {clock.traceable ? ', traceable' : ''}, since {new Date(clock.since).toLocaleTimeString('en-GB')}.
      </p>
    </>
  );
}

type Save = (title: string, change: Partial<ClockSettings>) => void;

/** Field by field between the grandmaster and the one that comes next, or this one. */
function Why({ plan, clocks, deviceId }: { plan: Plan; clocks: ClockView; deviceId: string }) {
  const [why, setWhy] = useState<WhyView | null>(null);
  useEffect(() => {
    let isWanted = true;
    void reckonWorker()
      .clockWhy(deviceId)
      .then((found) => isWanted && setWhy(found))
      .catch(() => isWanted && setWhy(null));
    return () => {
      isWanted = false;
    };
  }, [deviceId, clocks]);
  if (why === null) return null;
  const { comparison, leads } = why;
  const { aId, bId, before, fields } = comparison;
  const b = deviceName(plan, bId);
  return (
    <>
      <PanelHeading>{leads ? 'Why this one?' : `Why ${deviceName(plan, aId)} and not this one?`}</PanelHeading>
      {before === 'b-only-follows' ? (
        <p className="text-[12px]">{b} only follows; it does not come into the comparison.</p>
      ) : before === 'other-domain' ? (
        <p className="text-[12px]">{b} is in another PTP domain.</p>
      ) : null}
      <table className="w-full text-[12px]">
        <thead className="text-faint">
          <tr>
            <th scope="col" className="text-left font-normal">
              Lower wins
            </th>
            <th scope="col" className="max-w-[90px] truncate text-right font-normal" title={deviceName(plan, aId)}>
              {deviceName(plan, aId)}
            </th>
            <th scope="col" className="max-w-[90px] truncate pl-2 text-right font-normal" title={b}>
              {b}
            </th>
          </tr>
        </thead>
        <tbody>
          {fields.map((line) => (
            <tr
              key={line.field}
              className={
                before === null && line.role === 'decides' ? 'bg-selected' : line.role === 'not-asked' ? 'text-dim' : ''
              }
            >
              <th scope="row" className="text-left font-normal">
                {FIELD_WORDS[line.field]}
                {before === null && line.role === 'decides' ? ', decides' : ''}
              </th>
              <td className="text-right font-mono">{valueWords(line.field, line.a)}</td>
              <td className="pl-2 text-right font-mono">{valueWords(line.field, line.b)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** Accuracy and variance as the standard writes them, in hexadecimal. */
function valueWords(field: ComparedField, value: number | string): string {
  if (typeof value === 'string') return value === '' ? 'not known' : `…${clockIdentityText(value).slice(-8)}`;
  const isHex = field === 'clockAccuracy' || field === 'offsetScaledLogVariance';
  return isHex ? `0x${value.toString(16).toUpperCase()}` : String(value);
}

/** What its samples are paced by: another question than who keeps time. */
function Pace({
  plan,
  clocks,
  device,
  settings,
  ability,
  save,
}: {
  plan: Plan;
  clocks: ClockView;
  device: Device;
  settings: ClockSettings;
  ability: ClockAbility;
  save: Save;
}) {
  const media = clocks.media.get(device.id);
  const free = [...plan.references.values()].filter((r) => !settings.referenceIds.includes(r.id));
  const groups = [...plan.clockGroups.values()];
  return (
    <>
      <PanelHeading>What paces its samples</PanelHeading>
      {media ? (
        <p>
          {paceWords(plan, media)}
          {media.state === 'network' || media.state === 'reference' ? '' : ` (${originWords(plan, media.origin)})`}
          {media.tried.map((t) => (
            <span key={t.referenceId} className="block text-ochre">
              {problemWords(plan, t)}.
            </span>
          ))}
        </p>
      ) : null}
      <p className="text-[12px] text-dim">
        Without its reference it {WHEN_LOST_WORDS[ability.whenReferenceLost]}
        {ability.whenReferenceLost === 'hold-over' ? ` for ${secondsWords(ability.holdoverSeconds)}` : ''}; alone it is
        within {ability.freePpm} ppm. It {SRC_WORDS[ability.src]}.
      </p>
      <div className="mt-1.5 grid grid-cols-2 gap-2">
        <Labelled label="Follows">
          <SelectField
            value={settings.mediaClock}
            onChange={(e) => save('change the media clock', { mediaClock: e.target.value as MediaClockSource })}
          >
            {MEDIA_CLOCKS.map((m) => (
              <option key={m} value={m}>
                {MEDIA_CLOCK_WORDS[m]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <Labelled label="Clock group">
          <SelectField
            value={settings.groupId ?? ''}
            onChange={(e) => save('change the clock group', { groupId: e.target.value || null })}
          >
            <option value="">none</option>
            {groups.map((g) => (
              <option key={g.id} value={g.id}>
                {g.name}
              </option>
            ))}
          </SelectField>
        </Labelled>
        {ability.clockGroups === 2 ? (
          <Labelled label="Group of its other side">
            <SelectField
              value={settings.secondGroupId ?? ''}
              onChange={(e) => save('change the other side', { secondGroupId: e.target.value || null })}
            >
              <option value="">none</option>
              {groups.map((g) => (
                <option key={g.id} value={g.id}>
                  {g.name}
                </option>
              ))}
            </SelectField>
          </Labelled>
        ) : null}
      </div>
      {settings.referenceIds.length > 0 || ability.referencesIn.length > 0 ? (
        <div className="mt-2">
          <p className="text-[12px] text-dim">References, in the order in which they are tried</p>
          <ol>
            {settings.referenceIds.map((id, n) => (
              <li key={id} className="flex items-center gap-1">
                <span className="min-w-0 flex-1 truncate">
                  {n + 1}. {referenceName(plan, id)}
                </span>
                {n > 0 ? (
                  <Button
                    tone="quiet"
                    aria-label={`Try ${referenceName(plan, id)} earlier`}
                    onClick={() => {
                      const referenceIds = [...settings.referenceIds];
                      [referenceIds[n - 1], referenceIds[n]] = [id, referenceIds[n - 1] as string];
                      save('reorder the references', { referenceIds });
                    }}
                  >
                    Earlier
                  </Button>
                ) : null}
                <Button
                  tone="quiet"
                  aria-label={`Take off ${referenceName(plan, id)}`}
                  onClick={() =>
                    save('take off a reference', { referenceIds: settings.referenceIds.filter((r) => r !== id) })
                  }
                >
                  Take off
                </Button>
              </li>
            ))}
          </ol>
          {free.length > 0 ? (
            <SelectField
              aria-label="Add a reference"
              value=""
              className="mt-1 w-full"
              onChange={(e) => save('add a reference', { referenceIds: [...settings.referenceIds, e.target.value] })}
            >
              <option value="">Add a reference …</option>
              {free.map((r) => (
                <option key={r.id} value={r.id}>
                  {r.name}
                </option>
              ))}
            </SelectField>
          ) : null}
        </div>
      ) : null}
    </>
  );
}

function Settings({
  plan,
  settings,
  ability,
  save,
}: {
  plan: Plan;
  settings: ClockSettings;
  ability: ClockAbility;
  save: Save;
}) {
  const whole = (min: number, max: number) => (text: string) => {
    const value = Number(text);
    return text.trim() !== '' && Number.isInteger(value) && value >= min && value <= max
      ? null
      : `From ${min} to ${max}.`;
  };
  const number = (label: string, field: 'domainNumber' | 'priority1' | 'priority2') => (
    <OneField
      label={label}
      mono
      value={String(settings[field])}
      check={whole(0, 255)}
      onSave={(v) => save(`set ${label.toLowerCase()} ${v}`, { [field]: Number(v) })}
    />
  );
  const masters = [...plan.devices.values()].filter(
    (d) => d.id !== settings.id && plannedClock(plan, d.id)?.ability.mayLead === true,
  );
  const box = (label: string, is: boolean, isPossible: boolean, change: (is: boolean) => Partial<ClockSettings>) => (
    <label className="flex items-center gap-2 py-0.5">
      <input
        type="checkbox"
        className="accent-jade"
        checked={is}
        disabled={!isPossible}
        onChange={(e) => save(`change “${label}”`, change(e.target.checked))}
      />
      <span className={isPossible ? '' : 'text-dim'}>
        {label}
        {isPossible ? '' : ' (the model cannot)'}
      </span>
    </label>
  );
  return (
    <>
      <PanelHeading>How it is set</PanelHeading>
      {box('takes part in PTP', settings.runsPtp, true, (runsPtp) => ({ runsPtp }))}
      {box('may lead', !settings.clientOnly && ability.mayLead, ability.mayLead, (is) => ({ clientOnly: !is }))}
      <div className="mt-1.5 grid grid-cols-3 gap-2">
        {number('Domain', 'domainNumber')}
        {number('Priority 1', 'priority1')}
        {number('Priority 2', 'priority2')}
      </div>
      <div className="mt-2 grid grid-cols-2 gap-2">
        <Labelled label="Profile">
          <SelectField
            value={settings.profile}
            onChange={(e) => {
              const profile = CLOCK_PROFILES.find((p) => p === e.target.value) ?? settings.profile;
              save('change the profile', { profile, ...PROFILE_RULES[profile].usual });
            }}
          >
            {CLOCK_PROFILES.filter((p) => ability.profiles.includes(p) || p === settings.profile).map((p) => (
              <option key={p} value={p}>
                {PROFILE_WORDS[p]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        {INTERVAL_FIELDS.map((field) => {
          const { from, to } = PROFILE_RULES[settings.profile];
          const choices = Array.from({ length: to[field] - from[field] + 1 }, (_, n) => from[field] + n);
          if (!choices.includes(settings[field])) choices.push(settings[field]);
          return (
            <Labelled key={field} label={capital(INTERVAL_WORDS[field])}>
              <SelectField
                value={settings[field]}
                onChange={(e) => save(`change the ${INTERVAL_WORDS[field]}`, { [field]: Number(e.target.value) })}
              >
                {choices.map((value) => (
                  <option key={value} value={value}>
                    {intervalValue(field, value)}
                  </option>
                ))}
              </SelectField>
            </Labelled>
          );
        })}
        <Labelled label="Passes time on">
          <SelectField
            value={settings.relay}
            onChange={(e) => {
              const relay = RELAY_KINDS.find((r) => r === e.target.value) ?? 'none';
              save('change the relay', { relay, ...(relay === 'unicast' ? {} : { unicastMasterIds: [] }) });
            }}
          >
            {RELAY_KINDS.filter((r) => r === 'none' || r === ability.relays || r === settings.relay).map((r) => (
              <option key={r} value={r}>
                {RELAY_WORDS[r]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <OneField
          label="Clock identity"
          mono
          value={settings.clockIdentity === null ? '' : clockIdentityText(settings.clockIdentity)}
          check={(v) => (v.trim() === '' || parseClockIdentity(v) !== null ? null : 'Eight octets in hexadecimal.')}
          onSave={(v) => save('set the clock identity', { clockIdentity: v.trim() === '' ? null : v.trim() })}
        />
      </div>
      {settings.relay === 'unicast' ? (
        <div className="mt-2">
          <p className="text-[12px] text-dim">Clocks that it asks, across routers</p>
          <ul>
            {settings.unicastMasterIds.map((id) => (
              <li key={id} className="flex items-center gap-1">
                <span className="min-w-0 flex-1 truncate">{deviceName(plan, id)}</span>
                <Button
                  tone="quiet"
                  onClick={() =>
                    save('ask one clock fewer', {
                      unicastMasterIds: settings.unicastMasterIds.filter((other) => other !== id),
                    })
                  }
                >
                  Take off
                </Button>
              </li>
            ))}
          </ul>
          <SelectField
            aria-label="Ask another clock"
            value=""
            className="mt-1 w-full"
            onChange={(e) =>
              save('ask another clock', { unicastMasterIds: [...settings.unicastMasterIds, e.target.value] })
            }
          >
            <option value="">Ask another clock …</option>
            {masters
              .filter((d) => !settings.unicastMasterIds.includes(d.id))
              .map((d) => (
                <option key={d.id} value={d.id}>
                  {d.name}
                </option>
              ))}
          </SelectField>
        </div>
      ) : null}
    </>
  );
}

/** What all devices of the model do as clocks. */
function ModelAsClock({ plan, model, ability }: { plan: Plan; model: Model; ability: ClockAbility }) {
  const put = (title: string, change: Partial<ClockAbility>) =>
    void commit(`${title} of ${model.name}`, [
      { kind: 'put-model', model: { ...model, clock: { ...ability, ...change } } },
    ]);
  const others = [...plan.devices.values()].filter((d) => d.modelId === model.id).length;
  const positive = (text: string) =>
    text.trim() !== '' && Number.isFinite(Number(text)) && Number(text) >= 0 ? null : 'A number from 0 up.';
  const box = (label: string, is: boolean, change: (is: boolean) => Partial<ClockAbility>) => (
    <label className="flex items-center gap-2 py-0.5">
      <input
        type="checkbox"
        className="accent-jade"
        checked={is}
        onChange={(e) => put(`change “${label}”`, change(e.target.checked))}
      />
      {label}
    </label>
  );
  return (
    <>
      <PanelHeading>
        The model: {model.name}, {count(others, 'device')}
      </PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <Labelled label="Without its reference it">
          <SelectField
            value={ability.whenReferenceLost}
            onChange={(e) => {
              const whenReferenceLost = WHEN_REFERENCE_LOST.find((w) => w === e.target.value);
              if (whenReferenceLost !== undefined) put('change the behaviour without reference', { whenReferenceLost });
            }}
          >
            {WHEN_REFERENCE_LOST.map((w) => (
              <option key={w} value={w}>
                {WHEN_LOST_WORDS[w]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <Labelled label="Sample-rate converter">
          <SelectField
            value={ability.src}
            onChange={(e) => {
              const src = SRC_PLACES.find((s) => s === e.target.value);
              if (src !== undefined) put('change the sample-rate converter', { src });
            }}
          >
            {SRC_PLACES.map((s) => (
              <option key={s} value={s}>
                {SRC_CHOICES[s]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <OneField
          label="Holds over, s"
          mono
          value={String(ability.holdoverSeconds)}
          check={positive}
          onSave={(v) => put(`let it hold over for ${v} s`, { holdoverSeconds: Number(v) })}
        />
        <OneField
          label="Alone within, ppm"
          mono
          value={String(ability.freePpm)}
          check={positive}
          onSave={(v) => put(`set ${v} ppm`, { freePpm: Number(v) })}
        />
        <OneField
          label="Locks within, ms"
          mono
          value={String(ability.relockMs)}
          check={positive}
          onSave={(v) => put(`let it lock within ${v} ms`, { relockMs: Number(v) })}
        />
      </div>
      {box('its other side may have a clock of its own', ability.clockGroups === 2, (is) => ({
        clockGroups: is ? 2 : 1,
      }))}
      {box('runs on a battery', ability.isBattery, (isBattery) => ({ isBattery }))}
    </>
  );
}

const SRC_CHOICES = { none: 'none', inputs: 'on network inputs', between: 'between its sides' } as const;

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
