import { CLOCK_PROFILES, RELAY_KINDS, type ClockAbility } from '@/core/clocks/clock-ability';
import { plannedClock } from '@/core/clocks/clock-settings';
import { clockIdentityText, parseClockIdentity } from '@/core/clocks/dataset';
import { INTERVAL_FIELDS, PROFILE_RULES } from '@/core/clocks/profiles';
import type { Plan } from '@/core/plan/plan';
import type { ClockSettings } from '@/core/clocks/clocks-table';
import { wholeFrom } from '@/ui/parts/checks';
import { AddChoice, Choice, Tick } from '@/ui/parts/choice';
import { INTERVAL_WORDS, intervalValue, PROFILE_WORDS, RELAY_WORDS } from '@/ui/parts/clock-words';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { deviceName } from '@/ui/parts/names';
import { OneField } from '@/ui/parts/one-field';
import type { SaveClock } from './clock-pace';

/** How a device runs PTP. */
export function ClockSettingsForm({
  plan,
  settings,
  ability,
  save,
}: {
  plan: Plan;
  settings: ClockSettings;
  ability: ClockAbility;
  save: SaveClock;
}) {
  const number = (label: string, field: 'domainNumber' | 'priority1' | 'priority2') => (
    <OneField
      label={label}
      mono
      value={String(settings[field])}
      check={wholeFrom(0, 255)}
      onSave={(v) => save(`set ${label.toLowerCase()} ${v}`, { [field]: Number(v) })}
    />
  );
  const { from, to } = PROFILE_RULES[settings.profile];
  return (
    <>
      <PanelHeading>Settings</PanelHeading>
      <Tick label="runs PTP" is={settings.runsPtp} onChange={(runsPtp) => save('change “runs PTP”', { runsPtp })} />
      <Tick
        label="may lead"
        is={!settings.clientOnly && ability.mayLead}
        isPossible={ability.mayLead}
        onChange={(is) => save('change “may lead”', { clientOnly: !is })}
      />
      <div className="mt-1.5 grid grid-cols-3 gap-2">
        {number('Domain', 'domainNumber')}
        {number('Priority 1', 'priority1')}
        {number('Priority 2', 'priority2')}
      </div>
      <div className="mt-2 grid grid-cols-2 gap-2">
        <Choice
          label="Profile"
          value={settings.profile}
          of={CLOCK_PROFILES.filter((p) => ability.profiles.includes(p) || p === settings.profile)}
          word={(p) => PROFILE_WORDS[p]}
          onChoose={(profile) => save('change the profile', { profile, ...PROFILE_RULES[profile].usual })}
        />
        {INTERVAL_FIELDS.map((field) => {
          const allowed = Array.from({ length: to[field] - from[field] + 1 }, (_, n) => from[field] + n);
          const word = INTERVAL_WORDS[field];
          return (
            <Choice
              key={field}
              label={word.charAt(0).toUpperCase() + word.slice(1)}
              value={settings[field]}
              of={allowed.includes(settings[field]) ? allowed : [...allowed, settings[field]]}
              word={(value) => intervalValue(field, value)}
              onChoose={(value) => save(`change the ${word}`, { [field]: value })}
            />
          );
        })}
        <Choice
          label="Relays time"
          value={settings.relay}
          of={RELAY_KINDS.filter((r) => r === 'none' || r === ability.relays || r === settings.relay)}
          word={(r) => RELAY_WORDS[r]}
          onChoose={(relay) =>
            save('change the relay', { relay, ...(relay === 'unicast' ? {} : { unicastMasterIds: [] }) })
          }
        />
        <OneField
          label="Clock identity"
          mono
          value={settings.clockIdentity === null ? '' : clockIdentityText(settings.clockIdentity)}
          check={(v) => (v.trim() === '' || parseClockIdentity(v) !== null ? null : 'Eight bytes in hexadecimal.')}
          onSave={(v) => save('set the clock identity', { clockIdentity: v.trim() === '' ? null : v.trim() })}
        />
      </div>
      {settings.relay === 'unicast' ? <AskedClocks plan={plan} settings={settings} save={save} /> : null}
    </>
  );
}

/** Whom a unicast relay asks for time. */
function AskedClocks({ plan, settings, save }: { plan: Plan; settings: ClockSettings; save: SaveClock }) {
  const { unicastMasterIds } = settings;
  const others = [...plan.devices.values()].filter(
    (d) =>
      d.id !== settings.id && !unicastMasterIds.includes(d.id) && plannedClock(plan, d.id)?.ability.mayLead === true,
  );
  return (
    <div className="mt-2">
      <p className="text-[12px] text-dim">Unicast masters</p>
      <ul>
        {unicastMasterIds.map((id) => (
          <li key={id} className="flex items-center gap-1">
            <span className="min-w-0 flex-1 truncate">{deviceName(plan, id)}</span>
            <Button
              tone="quiet"
              aria-label={`Remove ${deviceName(plan, id)}`}
              onClick={() =>
                save('remove a unicast master', { unicastMasterIds: unicastMasterIds.filter((other) => other !== id) })
              }
            >
              Take off
            </Button>
          </li>
        ))}
      </ul>
      <AddChoice
        label="Add a unicast master"
        of={others}
        onChoose={(id) => save('add a unicast master', { unicastMasterIds: [...unicastMasterIds, id] })}
      />
    </div>
  );
}
