import { hasStreams } from '@/core/models/unknown-figures';
import { useState } from 'react';
import { freeAddressIn } from '@/core/edits/free';
import { parseAddress } from '@/core/network/address';
import type { Plan } from '@/core/plan/plan';
import { usesOfName } from '@/core/edits/rename';
import { passesOf, passingUnits } from '@/core/signal/through';
import { isRouted } from '@/core/network/interfaces-table';
import type { Device } from '@/core/plan/devices-table';
import type { RateHz } from '@/core/streams/format';
import { Tick } from '@/ui/parts/choice';
import { Labelled, PanelHeading, SelectField } from '@/ui/parts/controls';
import { OneField } from '@/ui/parts/one-field';
import { kHz } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { commit } from '@/ui/session/actions';
import { usePlan } from '@/ui/session/plan-store';
import { RenameDialog, type Rename } from './rename-dialog';
import { PlaceOptions } from '@/ui/parts/place-options';

/** What can be set of a device, with what it would follow from its model. */
export function Settings({ plan, device }: { plan: Plan; device: Device }) {
  const model = plan.models.get(device.modelId);
  const save = (title: string, change: Partial<Omit<Device, 'id'>>) =>
    void commit(title, [{ kind: 'change-device', deviceId: device.id, change }]);
  const units = [...plan.devices.values()].filter(
    (d) =>
      d.id !== device.id && d.throughId === null && (passesOf(plan, d.id).outsOf.size > 0 || d.id === device.throughId),
  );
  const [asked, setAsked] = useState<Rename | null>(null);
  const [attempt, setAttempt] = useState(0);
  const fieldLabel = usePlan((s) => s.field.names.get(device.id) ?? null);
  const rename = (after: string) => {
    const title = `rename to ${after}, was ${device.name}`;
    const uses = usesOfName(plan, { deviceId: device.id }, after);
    if (uses.lanes + uses.labels.length === 0) return save(title, { name: after });
    const command = { kind: 'change-device' as const, deviceId: device.id, change: { name: after } };
    const fieldName = fieldLabel === after ? null : fieldLabel;
    setAsked({ before: device.name, after, title, command, uses, fieldName });
  };
  return (
    <>
      {asked === null ? null : (
        <RenameDialog
          plan={plan}
          rename={asked}
          onClose={() => {
            setAsked(null);
            setAttempt(attempt + 1);
          }}
        />
      )}
      <PanelHeading>Settings</PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <OneField
          label="Name"
          value={device.name}
          check={(v) =>
            v.trim() === '' ? 'A device needs a name.' : v.length > 200 ? 'At most 200 characters.' : null
          }
          onSave={(name) => rename(name.trim())}
          key={attempt}
          id="device-name"
        />
        <Labelled label="Place">
          <SelectField
            value={device.placeId ?? ''}
            onChange={(e) => save(`move ${device.name}`, { placeId: e.target.value || null })}
          >
            <option value="">Unassigned</option>
            <PlaceOptions places={plan.places.values()} />
          </SelectField>
        </Labelled>
        {model && model.ratesHz.length > 0 ? (
          <Labelled label="Rate">
            <SelectField
              value={device.rateHz}
              onChange={(e) =>
                save(`run ${device.name} at ${kHz(Number(e.target.value))} kHz`, {
                  rateHz: Number(e.target.value) as RateHz,
                })
              }
            >
              {model.ratesHz.map((r) => (
                <option key={r} value={r}>
                  {kHz(r)} kHz
                </option>
              ))}
            </SelectField>
          </Labelled>
        ) : null}
        <OneField
          label="Serial"
          value={device.serial ?? ''}
          check={(v) => (v.length > 80 ? 'At most 80 characters.' : null)}
          onSave={(serial) => save(`set the serial of ${device.name}`, { serial: serial.trim() || null })}
        />
        {model &&
        hasStreams(model) &&
        (units.length > 0 || device.throughId !== null) &&
        !passingUnits(plan).has(device.id) ? (
          <Labelled label="Signal path">
            <SelectField
              value={device.throughId ?? ''}
              onChange={(e) => {
                const throughId = e.target.value || null;
                const way = throughId === null ? 'directly' : `through ${deviceName(plan, throughId)}`;
                save(`let ${device.name} go ${way}`, { throughId });
              }}
            >
              <option value="">direct</option>
              {units.map((u) => (
                <option key={u.id} value={u.id}>
                  through {u.name}
                </option>
              ))}
            </SelectField>
          </Labelled>
        ) : null}
        {model && hasStreams(model) ? (
          <div className="col-span-2">
            <Tick
              label="Read-only patch (managed elsewhere)"
              is={device.isPatchForeign}
              onChange={(is) =>
                save(is ? `make the patch of ${device.name} read-only` : `manage the patch of ${device.name} here`, {
                  isPatchForeign: is,
                })
              }
            />
          </div>
        ) : null}
      </div>
    </>
  );
}

/** A field for the address of each interface. */
export function Addresses({ plan, device }: { plan: Plan; device: Device }) {
  const interfaces = [...(plan.interfaces.get(device.id)?.values() ?? [])].sort((a, b) => (a.name < b.name ? -1 : 1));
  if (interfaces.length === 0) return null;
  return (
    <>
      <PanelHeading>Addresses</PanelHeading>
      <div className="flex flex-col gap-2">
        {interfaces.map((i) => {
          const name = isRouted(i) ? 'Routes' : i.name === 'control' ? 'Control' : `Leg ${i.name}`;
          const free = i.subnetId === null ? null : freeAddressIn(plan, i.subnetId);
          const move = (address: string | null) =>
            void commit(`move ${device.name}, ${name} to ${address ?? 'no address'}`, [
              { kind: 'put-interface', interface: { ...i, address } },
            ]);
          return (
            <div key={i.name} className="grid grid-cols-2 gap-2">
              <OneField
                label={name}
                mono
                value={i.address ?? ''}
                check={(v) => (v.trim() === '' || parseAddress(v.trim()) !== null ? null : 'Not an IPv4 address.')}
                onSave={(address) => move(address.trim() || null)}
              />
              <Labelled label="in subnet">
                <SelectField
                  value={i.subnetId ?? ''}
                  onChange={(e) =>
                    void commit(`plug ${device.name}, ${name} into another subnet`, [
                      { kind: 'put-interface', interface: { ...i, subnetId: e.target.value || null } },
                    ])
                  }
                >
                  <option value="">none</option>
                  {[...plan.subnets.values()].map((s) => (
                    <option key={s.id} value={s.id}>
                      {s.name} {s.cidr}
                    </option>
                  ))}
                </SelectField>
              </Labelled>
              {free === null ? null : (
                <p className="col-span-2 -mt-1 text-[12px] text-dim">
                  Next free: <span className="font-mono">{free}</span>{' '}
                  <button
                    type="button"
                    aria-label={`${name}: use ${free}`}
                    onClick={() => move(free)}
                    className="underline hover:text-ink focus-visible:outline-2 focus-visible:outline-jade"
                  >
                    use it
                  </button>
                </p>
              )}
            </div>
          );
        })}
      </div>
    </>
  );
}
