import type { Plan } from '@/core/plan/plan';
import type { SignalEnd } from '@/core/signal/signal-end';
import type { PatchChannel } from '@/workers/patch-view';
import { FewPlacesDialog } from './few-places-dialog';
import { SendPatchDialog } from './send-patch-dialog';
import { SubstituteDialog } from './substitutions';

/** What is asked about in a dialog of the device patch, and for what. */
export type PatchDialog =
  | { readonly is: 'send'; readonly deviceIds: readonly string[] }
  | { readonly is: 'submix' | 'substitute'; readonly ends: readonly SignalEnd[] };

/** The dialogs of the patch stage. @param deviceId the device that is shown, with its channels */
export function PatchDialogs({
  planId,
  plan,
  deviceId,
  dialog,
  channels,
  onClose,
}: {
  planId: string;
  plan: Plan;
  deviceId: string;
  dialog: PatchDialog;
  channels: readonly PatchChannel[];
  onClose: () => void;
}) {
  const shared = { plan, channels, onClose };
  switch (dialog.is) {
    case 'send':
      return <SendPatchDialog planId={planId} plan={plan} deviceIds={dialog.deviceIds} onClose={onClose} />;
    case 'submix':
      return <FewPlacesDialog mixerId={deviceId} chosen={dialog.ends} {...shared} />;
    case 'substitute':
      return <SubstituteDialog ends={dialog.ends} {...shared} />;
  }
}
