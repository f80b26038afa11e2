import { byName } from '@/core/plan/name-order';
import { INTERFACE_ROLES, type InterfaceRole } from '@/core/models/models-table';
import { useState } from 'react';
import type { Plan } from '@/core/plan/plan';
import { proposeAddresses, proposeMove } from '@/core/edits/propose-addresses';
import { Labelled, Modal, SelectField } from '@/ui/parts/controls';
import { LookedAt } from '@/ui/parts/looked-at';
import { deviceName, interfaceName } from '@/ui/parts/names';
import { ROLE_WORDS, subnetName } from '@/ui/parts/network-words';
import { isInPlace } from '@/ui/parts/place';
import { count } from '@/ui/parts/units';
import { previewBatch } from '@/ui/session/actions';
import { PlaceOptions } from '@/ui/parts/place-options';
import { DialogActions } from '@/ui/parts/dialog-actions';

/**
 * Addresses for every device of a place, or for one device with its card and its control port together: into the subnets
 * they are in, or into others. Shows each address before and after, then previews the whole.
 */
export function AddressesDialog({
  plan,
  place,
  deviceIds,
  onClose,
}: {
  plan: Plan;
  place: string | null;
  /** Only these; null: every device of the place. */
  deviceIds: readonly string[] | null;
  onClose: () => void;
}) {
  const [placeId, setPlaceId] = useState(place ?? '');
  const [target, setTarget] = useState<Record<InterfaceRole, string>>({ A: '', B: '', control: '' });
  const [isOnly, setOnly] = useState(deviceIds !== null && deviceIds.length > 0);
  const ids =
    isOnly && deviceIds !== null
      ? [...deviceIds]
      : [...plan.devices.values()]
          .filter((d) => isInPlace(plan, d.placeId, placeId || null))
          .sort(byName)
          .map((d) => d.id);
  const isMove = INTERFACE_ROLES.some((r) => target[r] !== '');
  const bySubnet = Object.fromEntries(INTERFACE_ROLES.map((r) => [r, target[r] || null]));
  const proposal = isMove ? proposeMove(plan, ids, bySubnet) : proposeAddresses(plan, ids);
  const subnets = [...plan.subnets.values()].sort(byName);
  const preview = () => {
    const where = isOnly ? count(ids.length, 'device') : (plan.places.get(placeId)?.name ?? 'all devices');
    const title = isMove ? `move ${where} to other subnets` : `give ${where} addresses`;
    void previewBatch(title, proposal.commands);
    onClose();
  };
  return (
    <Modal title="Addresses" onClose={onClose} wide>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          preview();
        }}
        className="flex flex-col gap-3"
      >
        <div className="grid grid-cols-4 gap-3">
          <Labelled label="Devices of">
            <SelectField
              autoFocus
              value={isOnly ? 'selected' : placeId}
              onChange={(e) => {
                setOnly(e.target.value === 'selected');
                if (e.target.value !== 'selected') setPlaceId(e.target.value);
              }}
            >
              {deviceIds !== null && deviceIds.length > 0 ? (
                <option value="selected">
                  {deviceIds.length === 1
                    ? deviceName(plan, deviceIds[0] as string)
                    : `the ${deviceIds.length} selected`}
                </option>
              ) : null}
              <option value="">all places</option>
              <PlaceOptions places={plan.places.values()} />
            </SelectField>
          </Labelled>
          {INTERFACE_ROLES.map((role) => (
            <Labelled key={role} label={`${ROLE_WORDS[role]} into`}>
              <SelectField value={target[role]} onChange={(e) => setTarget({ ...target, [role]: e.target.value })}>
                <option value="">where it is</option>
                {subnets.map((s) => (
                  <option key={s.id} value={s.id}>
                    {s.name} {s.cidr}
                  </option>
                ))}
              </SelectField>
            </Labelled>
          ))}
        </div>
        <p className="text-dim">
          {isMove
            ? 'Legs and control address move together; the last part of an address is kept where it is free.'
            : 'Given to what has no address, one that two share, or one outside its subnet or inside the DHCP range.'}
        </p>
        {proposal.changes.length === 0 ? (
          <p>Every address of {count(ids.length, 'device')} stays as it is.</p>
        ) : (
          <LookedAt label="Addresses before and after" columns={['Device', 'Port', 'Before', 'After', 'In']}>
            {proposal.changes.map((c) => (
              <tr key={`${c.deviceId}/${c.interface}`} className="border-t border-line/60">
                <td>{deviceName(plan, c.deviceId)}</td>
                <td className="text-dim">{interfaceName(c.interface)}</td>
                <td className="font-mono text-[12px] text-dim">{c.before ?? 'none'}</td>
                <td className="font-mono text-[12px]">{c.after}</td>
                <td className="text-dim">{subnetName(plan, c.subnetId)}</td>
              </tr>
            ))}
          </LookedAt>
        )}
        {proposal.left.length > 0 ? (
          <p className="text-madder">
            No address is left for{' '}
            {proposal.left
              .slice(0, 4)
              .map((l) => `${deviceName(plan, l.deviceId)} in ${subnetName(plan, l.subnetId)}`)
              .join(', ')}
            {proposal.left.length > 4 ? ` and ${proposal.left.length - 4} more` : ''}.
          </p>
        ) : null}
        <DialogActions className="" onCancel={onClose} disabled={proposal.changes.length === 0}>
          Preview {count(proposal.changes.length, 'address', 'addresses')} …
        </DialogActions>
      </form>
    </Modal>
  );
}
