'use client';

import { useForm, useWatch } from 'react-hook-form';
import { CATALOGUE } from '@/core/models/catalogue';
import type { Plan } from '@/core/plan/plan';
import type { Command } from '@/core/plan/commands';
import { freeId, proposeDevices } from '@/core/edits/propose-devices';
import { freeName } from '@/core/edits/free';
import { Button, Labelled, Modal, SelectField, TextField } from '@/ui/parts/controls';
import { count } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';

interface Form {
  readonly modelId: string;
  readonly count: number;
  readonly name: string;
  readonly place: string;
  readonly newPlace: string;
  readonly A: string;
  readonly B: string;
  readonly control: string;
}

const ROLES = ['A', 'B', 'control'] as const;
const ROLE_WORDS = { A: 'Leg A in', B: 'Leg B in', control: 'Control in' } as const;
const NEW_PLACE = 'new place';

/** Adding one or many devices of a model from the catalogue, with names and addresses proposed. */
export function AddDevices({
  plan,
  kind = 'device',
  onClose,
  onAdded,
}: {
  plan: Plan;
  /** Switches or units of slot buses only, or everything. */
  kind?: 'device' | 'switch' | 'slot-unit';
  onClose: () => void;
  onAdded: (ids: string[]) => void;
}) {
  const models = [...new Map([...CATALOGUE, ...plan.models.values()].map((m) => [m.id, m])).values()].filter(
    (m) => kind === 'device' || (kind === 'switch' ? m.switching !== null : m.slots !== null),
  );
  const subnets = [...plan.subnets.values()];
  const firstOf = (role: string) => subnets.find((s) => s.role === role)?.id ?? '';
  const places = [...plan.places.values()];
  const { register, handleSubmit, control, formState, setValue } = useForm<Form>({
    defaultValues: {
      modelId: models[0]?.id ?? '',
      count: 1,
      name: freeName(plan, models[0]?.name ?? 'Device'),
      place: places[0]?.id ?? NEW_PLACE,
      newPlace: '',
      A: firstOf('A'),
      B: firstOf('B'),
      control: firstOf('control'),
    },
  });
  const modelId = useWatch({ control, name: 'modelId' });
  const place = useWatch({ control, name: 'place' });
  const model = models.find((m) => m.id === modelId);
  const { errors, isSubmitting } = formState;

  const add = handleSubmit(async (form) => {
    if (model === undefined) return;
    const commands: Command[] = [];
    let placeId: string | null = form.place === NEW_PLACE || form.place === '' ? null : form.place;
    if (form.place === NEW_PLACE && form.newPlace.trim() !== '') {
      placeId = freeId(form.newPlace, plan.places);
      commands.push({ kind: 'put-place', place: { id: placeId, name: form.newPlace.trim(), parentId: null } });
    }
    const subnetByRole = { A: form.A || null, B: form.B || null, control: form.control || null };
    commands.push(...proposeDevices(plan, { model, count: form.count, name: form.name.trim(), placeId, subnetByRole }));
    const ids = commands.flatMap((c) => (c.kind === 'add-device' ? [c.device.id] : []));
    const title = form.count === 1 ? `add ${form.name.trim()}` : `add ${form.count} × ${model.name}`;
    if (await commit(title, commands)) onAdded(ids);
  });

  return (
    <Modal title={kind === 'switch' ? 'Add switches' : 'Add devices'} onClose={onClose} wide>
      <form onSubmit={(e) => void add(e)} noValidate className="grid grid-cols-2 gap-3">
        <Labelled label="Model">
          <SelectField
            autoFocus
            {...register('modelId', {
              onChange: (e: { target: { value: string } }) => {
                const next = models.find((m) => m.id === e.target.value);
                if (next) setValue('name', freeName(plan, next.name));
              },
            })}
          >
            {models.map((m) => (
              <option key={m.id} value={m.id}>
                {m.name}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <Labelled label="How many" error={errors.count?.message}>
          <TextField
            type="number"
            min={1}
            max={200}
            {...register('count', {
              valueAsNumber: true,
              validate: (n) => (Number.isInteger(n) && n >= 1 && n <= 200) || 'From 1 to 200.',
            })}
          />
        </Labelled>
        <Labelled label="Name; several are numbered from it" error={errors.name?.message}>
          <TextField
            {...register('name', {
              validate: (v) => v.trim() !== '' || 'A device needs a name.',
              maxLength: { value: 190, message: 'At most 190 characters.' },
            })}
          />
        </Labelled>
        <Labelled label="Place">
          <SelectField {...register('place')}>
            {places.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
            <option value={NEW_PLACE}>A new place …</option>
          </SelectField>
        </Labelled>
        {place === NEW_PLACE ? (
          <Labelled label="Name of the new place, empty for none">
            <TextField {...register('newPlace', { maxLength: 190 })} />
          </Labelled>
        ) : null}
        {ROLES.filter((role) => model?.ports.some((p) => p.role === role)).map((role) => (
          <Labelled key={role} label={ROLE_WORDS[role]}>
            <SelectField {...register(role)}>
              <option value="">no network yet</option>
              {subnets.map((s) => (
                <option key={s.id} value={s.id}>
                  {s.name} {s.cidr}
                </option>
              ))}
            </SelectField>
          </Labelled>
        ))}
        {model && !model.switching ? (
          <p className="col-span-2 text-dim">
            {count(model.channelsReceive, 'receiver channel')} in {count(model.streamsReceive, 'stream')},{' '}
            {count(model.channelsSend, 'sender channel')} in {count(model.streamsSend, 'stream')}
            {model.channelPool === null ? '' : `, ${model.channelPool} channels for both together`}. Free addresses are
            given.
          </p>
        ) : null}
        <div className="col-span-2 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button tone="main" type="submit" disabled={isSubmitting}>
            Add
          </Button>
        </div>
      </form>
    </Modal>
  );
}
