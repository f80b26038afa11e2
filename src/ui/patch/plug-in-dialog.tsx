import { useForm, type RegisterOptions } from 'react-hook-form';
import { readDecimal } from '@/core/formats/table';
import type { Plan } from '@/core/plan/plan';
import { pluggedAt } from '@/core/signal/levels';
import type { PAYLOADS } from '@/core/signal/plugged-in-table';
import {
  PLAIN_PLUGGED,
  POWERINGS,
  SINK_KINDS,
  SOURCE_KINDS,
  type PluggedIn,
  type PluggedKind,
  type Position,
} from '@/core/signal/plugged-in-table';
import { terminalAt, type SignalEnd } from '@/core/signal/signal-end';
import { CONNECTORS, type Connector } from '@/core/signal/terminal-shape';
import { Labelled, Modal, SelectField, TextField } from '@/ui/parts/controls';
import { PLUGGED_WORDS, terminalChannel } from '@/ui/parts/signal-words';
import { deviceName } from '@/ui/parts/names';
import { commit } from '@/ui/session/actions';
import { PlaceOptions } from '@/ui/parts/place-options';
import { DialogActions } from '@/ui/parts/dialog-actions';

/** Figures as they are typed; empty: not known. */
interface Form {
  readonly name: string;
  readonly kind: PluggedKind;
  readonly powering: (typeof POWERINGS)[number];
  readonly payload: (typeof PAYLOADS)[number];
  readonly levelDbu: string;
  readonly maxLevelDbu: string;
  readonly impedanceOhm: string;
  readonly powerW: string;
  readonly placeId: string;
  readonly position: string;
  readonly plug: Connector | '';
  readonly cableGrade: string;
  readonly metres: string;
  readonly metresMax: string;
  readonly adapter: string;
  readonly attenuationDb: string;
}

const POWERING_WORDS: Readonly<Record<(typeof POWERINGS)[number], string>> = {
  none: 'none',
  phantom: 'phantom power from the socket',
  own: 'own supply',
};

const shown = (value: number | null) => (value === null ? '' : String(value));

function positionOf(text: string): Position | null {
  const parts = text.split(/[;\s]+/).filter((p) => p !== '');
  const [x, y, z] = parts.map(readDecimal);
  return parts.length === 3 && x != null && y != null && z != null ? { x, y, z } : null;
}

const figure = (least: number, most: number): RegisterOptions<Form> => ({
  validate: (text) => {
    const typed = String(text);
    const value = readDecimal(typed);
    return (
      typed.trim() === '' ||
      (value !== null && value >= least && value <= most) ||
      `A number from ${least} to ${most}, or empty.`
    );
  },
});

/** What is in a socket: a source or a sink, its level and powering, where it stands, and the cable to it. */
export function PlugInDialog({ plan, end, onClose }: { plan: Plan; end: SignalEnd; onClose: () => void }) {
  const known = pluggedAt(plan, end);
  const terminal = terminalAt(plan, end);
  const kinds = terminal?.direction === 'out' ? SINK_KINDS : SOURCE_KINDS;
  const usual =
    terminal?.kind === 'radio' ? 'radio-pack' : (terminal?.level?.powerW ?? null) !== null ? 'loudspeaker' : kinds[0];
  const before: PluggedIn = known ?? { ...PLAIN_PLUGGED, ...end, name: '', kind: usual };
  const { register, handleSubmit, formState } = useForm<Form>({
    defaultValues: {
      name: before.name,
      kind: before.kind,
      powering: before.powering,
      payload: before.payload,
      levelDbu: shown(before.levelDbu),
      maxLevelDbu: shown(before.maxLevelDbu),
      impedanceOhm: shown(before.impedanceOhm),
      powerW: shown(before.powerW),
      placeId: before.placeId ?? plan.devices.get(end.deviceId)?.placeId ?? '',
      position: before.position === null ? '' : `${before.position.x} ${before.position.y} ${before.position.z}`,
      plug: before.plug ?? terminal?.connector ?? '',
      cableGrade: before.cableGrade ?? '',
      metres: shown(before.metres),
      metresMax: shown(before.metresMax),
      adapter: before.adapter ?? '',
      attenuationDb: shown(before.attenuationDb),
    },
  });
  const { errors } = formState;
  const where = `${deviceName(plan, end.deviceId)}, ${terminalChannel(plan, end)}`;
  const save = handleSubmit(async (form) => {
    const plugged: PluggedIn = {
      deviceId: end.deviceId,
      terminalId: end.terminalId,
      channel: end.channel,
      name: form.name.trim(),
      kind: form.kind,
      powering: form.powering,
      payload: form.payload,
      levelDbu: readDecimal(form.levelDbu),
      maxLevelDbu: readDecimal(form.maxLevelDbu),
      impedanceOhm: readDecimal(form.impedanceOhm),
      powerW: readDecimal(form.powerW),
      placeId: form.placeId === '' ? null : form.placeId,
      position: positionOf(form.position),
      plug: form.plug === '' ? null : form.plug,
      cableGrade: form.cableGrade.trim() || null,
      metres: readDecimal(form.metres),
      metresMax: readDecimal(form.metresMax),
      adapter: form.adapter.trim() || null,
      attenuationDb: readDecimal(form.attenuationDb),
    };
    const title = `${known === undefined ? 'plug' : 'change'} ${plugged.name} at ${where}`;
    if (await commit(title, [{ kind: 'put-plugged-in', plugged }])) onClose();
  });
  const number = (label: string, name: keyof Form, least: number, most: number) => (
    <Labelled label={label} error={errors[name]?.message}>
      <TextField inputMode="decimal" className="font-mono" {...register(name, figure(least, most))} />
    </Labelled>
  );
  return (
    <Modal
      title={`${where}: ${terminal?.direction === 'out' ? 'what it feeds' : 'what is plugged in'}`}
      onClose={onClose}
      wide
    >
      <form onSubmit={(e) => void save(e)} noValidate className="grid grid-cols-3 gap-3 max-md:grid-cols-1">
        <Labelled label="Name" error={errors.name?.message}>
          <TextField
            autoFocus
            {...register('name', {
              validate: (v) => v.trim() !== '' || 'It needs a name.',
              maxLength: { value: 80, message: 'At most 80 characters.' },
            })}
          />
        </Labelled>
        <Labelled label="Kind">
          <SelectField {...register('kind')}>
            {kinds.map((k) => (
              <option key={k} value={k}>
                {PLUGGED_WORDS[k]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <Labelled label="Power">
          <SelectField {...register('powering')}>
            {POWERINGS.map((p) => (
              <option key={p} value={p}>
                {POWERING_WORDS[p]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        {terminal?.direction === 'out' ? null : (
          <Labelled label="Samples hold">
            <SelectField {...register('payload')}>
              <option value="linear">sound</option>
              <option value="data-reduced">data-reduced sound (ST 337)</option>
            </SelectField>
          </Labelled>
        )}
        {number('Usual level, dBu', 'levelDbu', -150, 60)}
        {number('Highest level, dBu', 'maxLevelDbu', -150, 60)}
        {number(terminal?.direction === 'out' ? 'Load, Ω' : 'Source impedance, Ω', 'impedanceOhm', 0, 1e6)}
        {terminal?.direction === 'out' ? number('Power it takes, W', 'powerW', 0, 1e5) : null}
        <Labelled label="Place">
          <SelectField {...register('placeId')}>
            <option value="">Unassigned</option>
            <PlaceOptions places={plan.places.values()} />
          </SelectField>
        </Labelled>
        <Labelled label="Position x y z, m" error={errors.position?.message}>
          <TextField
            className="font-mono"
            placeholder="3.5 -2 1.2"
            {...register('position', {
              validate: (v) => v.trim() === '' || positionOf(v) !== null || 'Three numbers, such as 3.5 -2 1.2.',
            })}
          />
        </Labelled>
        <Labelled label="Plug at this socket">
          <SelectField {...register('plug')}>
            <option value="">not stated</option>
            {CONNECTORS.map((c) => (
              <option key={c} value={c}>
                {c}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <Labelled label="Cable" error={errors.cableGrade?.message}>
          <TextField {...register('cableGrade', { maxLength: { value: 80, message: 'At most 80 characters.' } })} />
        </Labelled>
        {number('Length, m', 'metres', 0, 100_000)}
        {number('Longest length, m', 'metresMax', 0, 100_000)}
        <Labelled label="Adapter" error={errors.adapter?.message}>
          <TextField {...register('adapter', { maxLength: { value: 80, message: 'At most 80 characters.' } })} />
        </Labelled>
        {number('Attenuator, dB', 'attenuationDb', 0, 120)}
        <DialogActions className="col-span-full mt-1" onCancel={onClose}>
          {known === undefined ? 'Plug in' : 'Save'}
        </DialogActions>
      </form>
    </Modal>
  );
}
