import { useState } from 'react';
import { proposeCopies } from '@/core/edits/propose-devices';
import { Labelled, Modal } from '@/ui/parts/controls';
import { CountField } from '@/ui/parts/count-field';
import { DialogActions } from '@/ui/parts/dialog-actions';
import { commit } from '@/ui/session/actions';
import { usePlan } from '@/ui/session/plan-store';

/** How many copies of a device are wanted, and what they will be called. */
export function CopyDialog({ deviceId, onClose }: { deviceId: string; onClose: () => void }) {
  const plan = usePlan((s) => s.plan);
  const [copies, setCopies] = useState(1);
  const device = plan?.devices.get(deviceId);
  if (!plan || !device) return null;
  const commands = proposeCopies(plan, deviceId, copies);
  const names = commands.flatMap((c) => (c.kind === 'add-device' ? [c.device.name] : []));
  const copy = async () => {
    if (await commit(`copy ${device.name}${copies > 1 ? ` ${copies} times` : ''}`, commands)) onClose();
  };
  return (
    <Modal title={`Copy ${device.name}`} onClose={onClose}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void copy();
        }}
      >
        <Labelled label="How many copies">
          <CountField autoFocus max={200} value={copies} onChange={setCopies} className="w-24" />
        </Labelled>
        <p className="mt-2 text-dim">
          {names.length > 3 ? `${names[0]} … ${names[names.length - 1]}` : names.join(', ')}, with the settings and
          labels of the original and free addresses of their own. Lanes and cables are not copied.
        </p>
        <DialogActions className="mt-4" onCancel={onClose}>
          Copy
        </DialogActions>
      </form>
    </Modal>
  );
}
