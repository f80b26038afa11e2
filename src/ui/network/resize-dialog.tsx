import { useState } from 'react';
import { applyCommands } from '@/core/plan/apply-commands';
import type { Command } from '@/core/plan/commands';
import type { Plan } from '@/core/plan/plan';
import { proposeAddresses, resizeSubnet, splitSubnet } from '@/core/edits/propose-addresses';
import type { Subnet } from '@/core/network/subnets-table';
import { Labelled, Modal, TextField } from '@/ui/parts/controls';
import { deviceName, interfaceName } from '@/ui/parts/names';
import { subnetName } from '@/ui/parts/network-words';
import { count } from '@/ui/parts/units';
import { previewBatch } from '@/ui/session/actions';
import { DialogActions } from '@/ui/parts/dialog-actions';

/** Another block for a subnet, or two halves of it: who falls out, and whether they are given new addresses. */
export function ResizeDialog({ plan, subnet, onClose }: { plan: Plan; subnet: Subnet; onClose: () => void }) {
  const [cidr, setCidr] = useState(subnet.cidr);
  const [isSplit, setSplit] = useState(false);
  const [isReaddressed, setReaddressed] = useState(true);
  const outcome = isSplit ? splitSubnet(plan, subnet.id) : resizeSubnet(plan, subnet.id, cidr.trim());
  const isSame = !isSplit && cidr.trim() === subnet.cidr;
  const preview = () => {
    if (!outcome.ok) return;
    const commands: Command[] = [...outcome.commands];
    if (isReaddressed && outcome.fallsOut.length > 0) {
      const after = applyCommands(plan, commands);
      if (after.ok) {
        const ids = [...new Set(outcome.fallsOut.map((f) => f.deviceId))];
        commands.push(...proposeAddresses(after.plan, ids).commands);
      }
    }
    const title = isSplit ? `split ${subnet.name}` : `make ${subnet.name} ${cidr.trim()}`;
    void previewBatch(title, commands);
    onClose();
  };
  return (
    <Modal title={`Resize or split ${subnet.name}`} onClose={onClose}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          preview();
        }}
        className="flex flex-col gap-3"
      >
        <fieldset className="flex gap-4">
          <legend className="sr-only">What to do</legend>
          <label className="flex items-center gap-1.5">
            <input type="radio" checked={!isSplit} onChange={() => setSplit(false)} className="accent-jade" />
            another block
          </label>
          <label className="flex items-center gap-1.5">
            <input type="radio" checked={isSplit} onChange={() => setSplit(true)} className="accent-jade" />
            two halves
          </label>
        </fieldset>
        {isSplit ? null : (
          <Labelled label="Block" error={!outcome.ok ? 'An IPv4 block, such as 10.71.36.0/23.' : undefined}>
            <TextField autoFocus value={cidr} onChange={(e) => setCidr(e.target.value)} className="font-mono" />
          </Labelled>
        )}
        {outcome.ok ? (
          <>
            <p className="text-dim">
              {outcome.subnets.map((s) => `${s.name} ${s.cidr}${s.vlan === null ? '' : `, VLAN ${s.vlan}`}`).join('; ')}
            </p>
            {outcome.overlapIds.length > 0 ? (
              <p className="text-madder">
                Overlaps {outcome.overlapIds.map((id) => subnetName(plan, id)).join(' and ')}.
              </p>
            ) : null}
            {outcome.fallsOut.length === 0 ? (
              <p className="text-dim">No device is left outside.</p>
            ) : (
              <div>
                <p className="text-ochre">{count(outcome.fallsOut.length, 'address', 'addresses')} would be outside:</p>
                <ul className="max-h-[24vh] overflow-y-auto text-[12px]">
                  {outcome.fallsOut.map((f) => (
                    <li key={`${f.deviceId}/${f.interface}`} className="grid grid-cols-[104px_1fr_auto] gap-2">
                      <span className="font-mono">{f.address}</span>
                      <span className="truncate">{deviceName(plan, f.deviceId)}</span>
                      <span className="text-dim">{interfaceName(f.interface)}</span>
                    </li>
                  ))}
                </ul>
                <label className="mt-1 flex items-center gap-2">
                  <input
                    type="checkbox"
                    checked={isReaddressed}
                    onChange={(e) => setReaddressed(e.target.checked)}
                    className="accent-jade"
                  />
                  give them free addresses of the new block
                </label>
              </div>
            )}
          </>
        ) : isSplit ? (
          <p className="text-madder">A block of two addresses or one cannot be split.</p>
        ) : null}
        <DialogActions className="" onCancel={onClose} disabled={!outcome.ok || isSame}>
          Preview …
        </DialogActions>
      </form>
    </Modal>
  );
}
