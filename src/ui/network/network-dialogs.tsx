import type { Plan } from '@/core/plan/plan';
import { AddDevices } from '@/ui/parts/add-devices';
import { AddressesDialog } from './addresses-dialog';
import { PlugDialog } from './plug-dialog';
import { SubnetDialog } from './subnet-dialog';

/** What is asked about in a dialog of the network; a cable may have one end or both already. */
export type NetworkDialog =
  | { readonly is: 'cable'; readonly from: string; readonly to: string | null }
  | { readonly is: 'subnet' | 'addresses' | 'switch' };

/** The dialogs of the network stage. @param place and deviceIds where addresses are given, if nothing else is chosen */
export function NetworkDialogs({
  plan,
  dialog,
  place,
  deviceIds,
  onClose,
  onMade,
}: {
  plan: Plan;
  dialog: NetworkDialog;
  place: string | null;
  deviceIds: readonly string[] | null;
  onClose: () => void;
  onMade: (kind: 'link' | 'subnet' | 'device', id: string) => void;
}) {
  const closed = (kind: 'link' | 'subnet' | 'device') => (id: string | null | undefined) => {
    onClose();
    if (id != null) onMade(kind, id);
  };
  switch (dialog.is) {
    case 'cable': {
      // Without a selection the first switch is as good a start as any.
      const devices = [...plan.devices.values()];
      const first = devices.find((d) => plan.models.get(d.modelId)?.switching) ?? devices[0];
      const from = plan.devices.has(dialog.from) ? dialog.from : first?.id;
      if (from === undefined) return null;
      return <PlugDialog plan={plan} from={{ deviceId: from, port: null }} to={dialog.to} onClose={closed('link')} />;
    }
    case 'subnet':
      return <SubnetDialog plan={plan} onClose={closed('subnet')} />;
    case 'switch':
      return <AddDevices plan={plan} kind="switch" onClose={onClose} onAdded={(ids) => closed('device')(ids[0])} />;
    case 'addresses':
      return <AddressesDialog plan={plan} place={place} deviceIds={deviceIds} onClose={onClose} />;
  }
}
