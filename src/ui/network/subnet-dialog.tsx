import { useForm, useWatch } from 'react-hook-form';
import { parseCidr } from '@/core/network/address';
import { cidrText, subnetFigures } from '@/core/network/subnets';
import type { Plan } from '@/core/plan/plan';
import { overlapping } from '@/core/edits/propose-addresses';
import { freeId } from '@/core/edits/propose-devices';
import { PLAIN_SUBNET, SUBNET_ROLES, type SubnetRole } from '@/core/network/subnets-table';
import { Labelled, Modal, SelectField, TextField } from '@/ui/parts/controls';
import { ROLE_WORDS, subnetName } from '@/ui/parts/network-words';
import { count } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';
import { DialogActions } from '@/ui/parts/dialog-actions';

interface Form {
  readonly name: string;
  readonly cidr: string;
  readonly vlan: string;
  readonly role: SubnetRole;
}

export function SubnetDialog({ plan, onClose }: { plan: Plan; onClose: (subnetId: string | null) => void }) {
  const { register, handleSubmit, control, formState } = useForm<Form>({
    defaultValues: { name: '', cidr: '', vlan: '', role: 'A' },
  });
  const cidr = useWatch({ control, name: 'cidr' });
  const block = parseCidr(cidr.trim());
  const figures = block ? subnetFigures(block) : null;
  const overlaps = block ? overlapping(plan, block, []) : [];
  const { errors } = formState;
  const add = handleSubmit(async (form) => {
    if (block === null) return;
    const id = freeId(form.name, plan.subnets);
    const subnet = {
      ...PLAIN_SUBNET,
      id,
      name: form.name.trim(),
      cidr: cidrText(block),
      vlan: form.vlan.trim() === '' ? null : Number(form.vlan),
      role: form.role,
    };
    if (await commit(`add subnet ${subnet.name}`, [{ kind: 'put-subnet', subnet }])) onClose(id);
  });
  return (
    <Modal title="Add a subnet" onClose={() => onClose(null)}>
      <form onSubmit={(e) => void add(e)} noValidate className="grid grid-cols-2 gap-3">
        <Labelled label="Name" error={errors.name?.message}>
          <TextField
            autoFocus
            {...register('name', {
              validate: (v) => v.trim() !== '' || 'A subnet needs a name.',
              maxLength: { value: 190, message: 'At most 190 characters.' },
            })}
          />
        </Labelled>
        <Labelled label="Role">
          <SelectField {...register('role')}>
            {SUBNET_ROLES.map((r) => (
              <option key={r} value={r}>
                {ROLE_WORDS[r]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <Labelled label="Block" error={errors.cidr?.message}>
          <TextField
            placeholder="10.71.36.0/24"
            className="font-mono"
            {...register('cidr', {
              validate: (v) => parseCidr(v.trim()) !== null || 'An IPv4 block, such as 10.71.36.0/24.',
            })}
          />
        </Labelled>
        <Labelled label="VLAN, empty for none" error={errors.vlan?.message}>
          <TextField
            className="font-mono"
            {...register('vlan', {
              validate: (v) =>
                v.trim() === '' ||
                (Number.isInteger(Number(v)) && Number(v) >= 1 && Number(v) <= 4094) ||
                'From 1 to 4094.',
            })}
          />
        </Labelled>
        <p className="col-span-2 text-dim" aria-live="polite">
          {figures
            ? `${count(figures.usableHosts, 'host')}, ${figures.first} to ${figures.last}.`
            : 'The block as address and prefix length.'}
          {overlaps.length > 0 ? (
            <span className="text-madder"> Overlaps {overlaps.map((id) => subnetName(plan, id)).join(' and ')}.</span>
          ) : null}
        </p>
        <DialogActions className="col-span-2" onCancel={() => onClose(null)}>
          Add
        </DialogActions>
      </form>
    </Modal>
  );
}
