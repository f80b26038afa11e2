import { byName } from '@/core/plan/name-order';
import { INTERFACE_ROLES, type InterfaceRole } from '@/core/models/models-table';
import { hasStreams } from '@/core/models/unknown-figures';
import { proposeMove } from '@/core/edits/propose-addresses';
import type { Command } from '@/core/plan/commands';
import type { Device } from '@/core/plan/devices-table';
import { interfacesOf, type Plan } from '@/core/plan/plan';
import { plannedClock } from '@/core/clocks/clock-settings';
import type { ClockSettings } from '@/core/clocks/clocks-table';
import { CLOCK_PROFILES } from '@/core/clocks/clock-ability';
import { PROFILE_RULES } from '@/core/clocks/profiles';
import { RATES_HZ, type RateHz } from '@/core/streams/format';
import { Labelled, PanelHeading, SelectField } from '@/ui/parts/controls';
import { ROLE_WORDS } from './network-words';
import { OneField } from '@/ui/parts/one-field';
import { orNothing, wholeFrom, type Check } from '@/ui/parts/checks';
import { PROFILE_WORDS } from '@/ui/parts/clock-words';
import { count, kHz } from '@/ui/parts/units';
import { commit, previewBatch } from '@/ui/session/actions';

/** What several values come to: the one that all have, or that they differ. */
function common<T>(values: readonly T[]): { readonly value: T | null; readonly differs: boolean } {
  const [first] = values;
  const differs = values.some((v) => v !== first);
  return { value: differs || first === undefined ? null : first, differs };
}

const SEVERAL = 'several values';
const NONE = 'none of them';

/** A setting of several devices: what they have in common stands there, and what is chosen is set for all. */
export function ForAll({
  label,
  values,
  options,
  onChoose,
}: {
  label: string;
  values: readonly string[];
  options: readonly { readonly id: string; readonly words: string }[];
  onChoose: (id: string) => void;
}) {
  const { value, differs } = common(values);
  return (
    <Labelled label={label}>
      <SelectField
        value={differs ? SEVERAL : (value ?? '')}
        onChange={(e) => e.target.value !== SEVERAL && onChoose(e.target.value)}
      >
        {differs ? <option value={SEVERAL}>several</option> : null}
        {options.map((o) => (
          <option key={o.id} value={o.id}>
            {o.words}
          </option>
        ))}
      </SelectField>
    </Labelled>
  );
}

/** A number of several records: empty where they differ, and what is typed is set for all. */
export function NumberForAll({
  label,
  values,
  check,
  onSet,
}: {
  label: string;
  values: readonly number[];
  check: Check;
  onSet: (value: number) => void;
}) {
  const { value, differs } = common(values);
  return (
    <OneField
      key={String(value)}
      label={differs ? `${label}: several` : label}
      mono
      value={value === null ? '' : String(value)}
      check={differs ? orNothing(check) : check}
      onSave={(v) => v.trim() !== '' && onSet(Number(v))}
    />
  );
}

/** Settings of all that is selected: an edit here is one step for all of them. */
export function ManyDevices({ plan, devices }: { plan: Plan; devices: readonly Device[] }) {
  const all = count(devices.length, 'device');
  const models = devices.map((d) => plan.models.get(d.modelId));
  const change = (change: Partial<Omit<Device, 'id'>>, of: readonly Device[] = devices): Command[] =>
    of.map((d) => ({ kind: 'change-device', deviceId: d.id, change }));
  const rates = RATES_HZ.filter((r) =>
    models.every((m) => m === undefined || m.ratesHz.length === 0 || m.ratesHz.includes(r)),
  );
  const rated = devices.filter((d) => (plan.models.get(d.modelId)?.ratesHz.length ?? 0) > 0);
  const streaming = devices.filter((_, n) => hasStreams(models[n]));
  const roles = INTERFACE_ROLES.filter((role) => models.some((m) => m?.ports.some((p) => p.role === role)));
  const subnets = [...plan.subnets.values()].sort(byName).map((s) => ({ id: s.id, words: `${s.name} ${s.cidr}` }));
  const moveTo = (role: InterfaceRole, subnetId: string) => {
    const ids = devices.map((d) => d.id);
    const { commands } = proposeMove(plan, ids, { [role]: subnetId });
    if (commands.length > 0) {
      const name = plan.subnets.get(subnetId)?.name ?? subnetId;
      void previewBatch(`move ${ROLE_WORDS[role]} of ${all} to ${name}`, commands);
    }
  };
  const subnetOf = (d: Device, role: InterfaceRole) => interfacesOf(plan, d.id).get(role)?.subnetId ?? NONE;
  return (
    <>
      <PanelHeading>Settings of {all}</PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <ForAll
          label="Place"
          values={devices.map((d) => d.placeId ?? '')}
          options={[
            { id: '', words: 'Unassigned' },
            ...[...plan.places.values()].sort(byName).map((p) => ({ id: p.id, words: p.name })),
          ]}
          onChoose={(id) =>
            void commit(`move ${all} to ${plan.places.get(id)?.name ?? 'no place'}`, change({ placeId: id || null }))
          }
        />
        {rated.length > 0 ? (
          <ForAll
            label="Rate"
            values={rated.map((d) => String(d.rateHz))}
            options={rates.map((r) => ({ id: String(r), words: `${kHz(r)} kHz` }))}
            onChoose={(id) =>
              void previewBatch(
                `run ${count(rated.length, 'device')} at ${kHz(Number(id))} kHz`,
                change({ rateHz: Number(id) as RateHz }, rated),
              )
            }
          />
        ) : null}
        <ForAll
          label="Model"
          values={devices.map((d) => d.modelId)}
          options={[...plan.models.values()].sort(byName).map((m) => ({ id: m.id, words: m.name }))}
          onChoose={(id) =>
            void previewBatch(`make ${all} a ${plan.models.get(id)?.name ?? id}`, change({ modelId: id }))
          }
        />
        {streaming.length > 0 ? (
          <ForAll
            label="Patch"
            values={streaming.map((d) => (d.isPatchForeign ? 'read-only' : 'ours'))}
            options={[
              { id: 'ours', words: 'managed here' },
              { id: 'read-only', words: 'read-only' },
            ]}
            onChoose={(id) =>
              void commit(
                `${id === 'ours' ? 'manage' : 'leave to others'} the patch of ${count(streaming.length, 'device')}`,
                change({ isPatchForeign: id === 'read-only' }, streaming),
              )
            }
          />
        ) : null}
        {roles.map((role) => (
          <ForAll
            key={role}
            label={`Subnet, ${ROLE_WORDS[role]}`}
            values={devices
              .filter((_, n) => models[n]?.ports.some((p) => p.role === role))
              .map((d) => subnetOf(d, role))}
            options={[{ id: NONE, words: 'none' }, ...subnets].filter(
              (o) => o.id !== NONE || devices.some((d) => subnetOf(d, role) === NONE),
            )}
            onChoose={(id) => (id === NONE ? undefined : moveTo(role, id))}
          />
        ))}
      </div>
      <ManyClocks plan={plan} devices={devices} />
    </>
  );
}

const CLOCK_FIELDS = [
  { field: 'domainNumber', label: 'PTP domain', max: 127 },
  { field: 'priority1', label: 'Priority 1', max: 255 },
  { field: 'priority2', label: 'Priority 2', max: 255 },
] as const satisfies readonly { field: keyof ClockSettings; label: string; max: number }[];

/** Clock settings of those among them that run PTP: an edit here is looked at first, and is one step for all of them. */
export function ManyClocks({ plan, devices }: { plan: Plan; devices: readonly Device[] }) {
  const clocks = devices.flatMap((d) => {
    const planned = plannedClock(plan, d.id);
    return planned !== null && planned.settings.runsPtp ? [planned] : [];
  });
  if (clocks.length === 0) return null;
  const all = count(clocks.length, 'clock');
  const put = (title: string, change: (settings: ClockSettings) => Partial<ClockSettings>) =>
    void previewBatch(
      `${title} of ${all}`,
      clocks.map(({ settings }): Command => ({ kind: 'put-clock', settings: { ...settings, ...change(settings) } })),
    );
  const profiles = CLOCK_PROFILES.filter((p) => clocks.every(({ ability }) => ability.profiles.includes(p)));
  return (
    <>
      <PanelHeading>PTP of {all}</PanelHeading>
      <div className="grid grid-cols-3 gap-2">
        {CLOCK_FIELDS.map(({ field, label, max }) => (
          <NumberForAll
            key={field}
            label={label}
            values={clocks.map((c) => c.settings[field])}
            check={wholeFrom(0, max)}
            onSet={(v) => put(`set ${label.toLowerCase()} ${v}`, () => ({ [field]: v }))}
          />
        ))}
      </div>
      <div className="mt-2 grid grid-cols-2 gap-2">
        <ForAll
          label="Profile"
          values={clocks.map((c) => c.settings.profile)}
          options={CLOCK_PROFILES.filter(
            (p) => profiles.includes(p) || clocks.some((c) => c.settings.profile === p),
          ).map((p) => ({ id: p, words: PROFILE_WORDS[p] }))}
          onChoose={(id) => {
            const profile = CLOCK_PROFILES.find((p) => p === id);
            if (profile !== undefined) {
              put(`use ${PROFILE_WORDS[profile]}`, () => ({ profile, ...PROFILE_RULES[profile].usual }));
            }
          }}
        />
        <ForAll
          label="Role"
          values={clocks.map((c) => (c.settings.clientOnly || !c.ability.mayLead ? 'follow' : 'lead'))}
          options={[
            ...(clocks.some((c) => c.ability.mayLead) ? [{ id: 'lead', words: 'can lead, where the model can' }] : []),
            { id: 'follow', words: 'follow only' },
          ]}
          onChoose={(id) =>
            put(id === 'lead' ? 'allow to lead' : 'let follow only', () => ({ clientOnly: id !== 'lead' }))
          }
        />
      </div>
    </>
  );
}
