import { byName } from '@/core/plan/name-order';
import { INTERFACE_ROLES, type InterfaceRole } from '@/core/models/models-table';
import { useMemo, useState } from 'react';
import { likelySwitches, proposeCables, type NotCabledWhy } from '@/core/edits/propose-cables';
import { modelOf, type Plan } from '@/core/plan/plan';
import { freeSockets } from '@/core/plan/sockets';
import { commitWithUndo } from '@/ui/session/actions';
import { Labelled, Modal, TextField } from './controls';
import { deviceName } from './names';
import { subnetName } from './network-words';
import { PickOne } from './pick-one';
import { count } from './units';
import { DialogActions } from '@/ui/parts/dialog-actions';

const LEG_WORDS: Readonly<Record<InterfaceRole, string>> = {
  A: 'Leg A into',
  B: 'Leg B into',
  control: 'Control into',
};
const WHY_WORDS: Readonly<Record<NotCabledWhy, string>> = {
  'plugged-in': 'plugged in already',
  'no-free-port': 'no free port left',
  'no-power': 'no free port supplies its power',
};
const NONE = '';
const SHOWN_MAX = 8;

/** Cables for many devices at once, each into the next free port of the switch of its leg. */
export function CableMany({
  plan,
  deviceIds,
  onClose,
}: {
  plan: Plan;
  deviceIds: readonly string[];
  onClose: () => void;
}) {
  const [switchByRole, setSwitches] = useState(() => likelySwitches(plan, deviceIds));
  const [metres, setMetres] = useState('10');
  const length = Number(metres);
  const isLength = metres.trim() !== '' && length >= 0 && length <= 100_000;
  const proposal = useMemo(
    () => proposeCables(plan, { deviceIds, switchByRole, metres: isLength ? length : 0 }),
    [plan, deviceIds, switchByRole, isLength, length],
  );
  const roles = INTERFACE_ROLES.filter((role) =>
    deviceIds.some(
      (id) => modelOf(plan, id)?.switching == null && modelOf(plan, id)?.ports.some((p) => p.role === role),
    ),
  );
  const switches = [...plan.devices.values()].filter((d) => modelOf(plan, d.id)?.switching != null).sort(byName);
  const { links, left, queriers } = proposal;
  const submit = async () => {
    if (links.length === 0 || !isLength) return;
    const title = `plug in ${count(links.length, 'cable')} of ${count(deviceIds.length, 'device')}`;
    if (await commitWithUndo(title, proposal.commands)) onClose();
  };
  const why = new Map<NotCabledWhy, string[]>();
  for (const { deviceId, port, why: reason } of left) {
    why.set(reason, [...(why.get(reason) ?? []), `${deviceName(plan, deviceId)} ${port}`]);
  }
  return (
    <Modal title={`Cable ${count(deviceIds.length, 'device')}`} onClose={onClose} wide>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void submit();
        }}
      >
        <div className="grid grid-cols-2 gap-3">
          {roles.map((role) => (
            <PickOne
              key={role}
              label={LEG_WORDS[role]}
              value={switchByRole[role] ?? NONE}
              onPick={(id) => setSwitches((now) => ({ ...now, [role]: id === NONE ? null : id }))}
              options={[
                { id: NONE, words: 'Not cabled' },
                ...switches.map((d) => ({
                  id: d.id,
                  words: d.name,
                  detail: count(freeSockets(plan, d.id).length, 'free port'),
                })),
              ]}
            />
          ))}
          <Labelled label="Metres" error={isLength ? undefined : 'A length from 0 to 100 000.'}>
            <TextField inputMode="decimal" value={metres} onChange={(e) => setMetres(e.target.value)} />
          </Labelled>
        </div>
        {switches.length === 0 ? <p className="mt-3 text-ochre">This plan has no switch yet.</p> : null}
        <ul aria-label="Cables" className="mt-3 font-mono text-[12px] text-dim">
          {links.slice(0, SHOWN_MAX).map((link) => (
            <li key={link.id}>
              {deviceName(plan, link.from.deviceId)} {link.from.port} → {deviceName(plan, link.to.deviceId)}{' '}
              {link.to.port}
            </li>
          ))}
          {links.length > SHOWN_MAX ? <li>and {links.length - SHOWN_MAX} more</li> : null}
        </ul>
        {queriers.map(({ subnetId, switchId }) => (
          <p key={subnetId} className="mt-1 text-dim">
            {deviceName(plan, switchId)} becomes the IGMP querier of {subnetName(plan, subnetId)}, which has none.
          </p>
        ))}
        {[...why].map(([reason, ports]) => (
          <p key={reason} className="mt-1 text-ochre" title={ports.join(', ')}>
            Left out, {WHY_WORDS[reason]}: {ports.slice(0, 3).join(', ')}
            {ports.length > 3 ? ` and ${ports.length - 3} more` : ''}.
          </p>
        ))}
        <DialogActions className="mt-4" onCancel={onClose} autoFocus disabled={links.length === 0 || !isLength}>
          Plug in {count(links.length, 'cable')}
        </DialogActions>
      </form>
    </Modal>
  );
}
