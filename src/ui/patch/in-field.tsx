import { patchDifferences, type PatchDifference } from '@/core/patch/patch-in-field';
import { modelOf, type Plan } from '@/core/plan/plan';
import { terminalsOf } from '@/core/signal/terminals';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { count } from '@/ui/parts/units';
import { usePlan } from '@/ui/session/plan-store';
import { PatchDifferences } from './patch-difference';

/** How a device is patched in the field, where it tells. */
interface PatchInField {
  /** Not there: nothing is known of it. Not offered: the device does not let its patch be read or sent. */
  readonly is: 'not-there' | 'not-offered' | 'read';
  readonly differences: readonly PatchDifference[];
}

const NO_DIFFERENCES: readonly PatchDifference[] = [];

export function usePatchInField(plan: Plan | null, deviceId: string): PatchInField {
  const found = usePlan((s) => s.field.devicePatches.get(deviceId));
  const isThere = usePlan((s) => s.field.devices.has(deviceId));
  if (plan === null || !isThere) return { is: 'not-there', differences: NO_DIFFERENCES };
  if (found === undefined) return { is: 'not-offered', differences: NO_DIFFERENCES };
  return { is: 'read', differences: patchDifferences(plan, deviceId, found) };
}

/** The patch of the plan held against that of the device, and what to do about it. */
export function InFieldSection({
  plan,
  deviceId,
  inField: { is, differences },
  onOpen,
  onSend,
  onList,
}: {
  plan: Plan;
  deviceId: string;
  inField: PatchInField;
  onOpen: (difference: PatchDifference) => void;
  onSend: () => void;
  onList: () => void;
}) {
  const model = modelOf(plan, deviceId);
  const hasPatch = model !== undefined && terminalsOf(model).some((t) => t.patchFrom.length > 0);
  if (!hasPatch) return null;
  return (
    <>
      <PanelHeading>In the field</PanelHeading>
      {is === 'not-there' ? (
        <p className="text-dim">The device is not there, so its patch cannot be read or sent.</p>
      ) : is === 'not-offered' ? (
        <>
          <p className="text-dim">Its patch cannot be read or sent (no IS-08): patch it there.</p>
          <Button className="mt-1.5" onClick={onList}>
            List to tick off
          </Button>
        </>
      ) : differences.length === 0 ? (
        <p className="text-dim">Patched as planned.</p>
      ) : (
        <>
          <p className="mb-1 text-ochre">{count(differences.length, 'channel')} patched differently from the plan:</p>
          <PatchDifferences plan={plan} deviceId={deviceId} differences={differences} onOpen={onOpen} />
          <Button className="mt-1.5" onClick={onSend}>
            Send patch …
          </Button>
        </>
      )}
    </>
  );
}
