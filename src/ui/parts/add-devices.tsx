import { byName } from '@/core/plan/name-order';
import { INTERFACE_ROLES, type InterfaceRole } from '@/core/models/models-table';
import { useMemo, useState } from 'react';
import { proposeAddition, type OnTheWay } from '@/core/edits/propose-addition';
import { freeName } from '@/core/edits/free';
import { CATALOGUE } from '@/core/models/catalogue';
import type { Model } from '@/core/models/models-table';
import { parseCidr } from '@/core/network/address';
import { overlapping } from '@/core/edits/propose-addresses';
import { cidrText } from '@/core/network/subnets';
import type { Plan } from '@/core/plan/plan';
import { Labelled, Modal, TextField } from '@/ui/parts/controls';
import { CountField } from '@/ui/parts/count-field';
import { DEVICE_KIND_WORDS } from './model-figures';
import { subnetName } from './network-words';
import { PickOne, type Pickable } from '@/ui/parts/pick-one';
import { count } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';
import { useLibrary } from '@/ui/session/library';
import { DialogActions } from '@/ui/parts/dialog-actions';

const ROLE_WORDS = { A: 'Leg A in', B: 'Leg B in', control: 'Control in' } as const;
const DEVICES_MAX = 200;
const NAME_MAX = 190;
/** Before the name of what is made on the way; ids have no such letter. */
const MAKE = '+';
const NONE = '';

const onTheWay = (picked: string): OnTheWay =>
  picked === NONE ? null : picked.startsWith(MAKE) ? { make: picked.slice(1) } : { id: picked };

/** Adding one or many devices of a model, with the place and the subnets that they need, names and addresses proposed. */
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
  const library = useLibrary();
  const models = useMemo(() => {
    const kept = [...library.values()].flatMap((e) => e.model ?? []);
    const byId = new Map([...CATALOGUE, ...kept, ...plan.models.values()].map((m) => [m.id, m]));
    return [...byId.values()]
      .filter((m) => kind === 'device' || (kind === 'switch' ? m.switching !== null : m.slots !== null))
      .sort(byName);
  }, [plan, library, kind]);
  const subnets = [...plan.subnets.values()];
  const firstOf = (role: InterfaceRole) => subnets.find((s) => s.role === role)?.id ?? NONE;
  const [modelId, setModelId] = useState(() => models[0]?.id ?? '');
  const [copies, setCopies] = useState(1);
  const [typedName, setTypedName] = useState<string | null>(null);
  const [placeId, setPlaceId] = useState(() => [...plan.places.keys()][0] ?? NONE);
  const [subnetIds, setSubnetIds] = useState<Readonly<Record<InterfaceRole, string>>>(() => ({
    A: firstOf('A'),
    B: firstOf('B'),
    control: firstOf('control'),
  }));
  const [isBusy, setBusy] = useState(false);

  const model = models.find((m) => m.id === modelId);
  const name = (typedName ?? proposedName(plan, model)).trim();
  const nameProblem =
    name === '' ? 'A device needs a name.' : name.length > NAME_MAX ? `At most ${NAME_MAX} characters.` : undefined;
  const roles = INTERFACE_ROLES.filter((role) => model?.ports.some((p) => p.role === role));
  const commands = useMemo(
    () =>
      model === undefined || nameProblem !== undefined
        ? []
        : proposeAddition(plan, {
            model,
            count: copies,
            name,
            place: onTheWay(placeId),
            subnets: Object.fromEntries(INTERFACE_ROLES.map((role) => [role, onTheWay(subnetIds[role])])),
          }),
    [plan, model, copies, name, nameProblem, placeId, subnetIds],
  );
  const devices = commands.flatMap((c) => (c.kind === 'add-device' ? [c.device] : []));

  const add = async () => {
    if (model === undefined || commands.length === 0) return;
    setBusy(true);
    const title = copies === 1 ? `add ${name}` : `add ${copies} × ${model.name}`;
    if (await commit(title, commands)) onAdded(devices.map((d) => d.id));
    else setBusy(false);
  };

  return (
    <Modal title={kind === 'switch' ? 'Add switches' : 'Add devices'} onClose={onClose} wide>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void add();
        }}
        noValidate
        className="grid grid-cols-2 gap-3"
      >
        <PickOne
          label="Model"
          autoFocus
          value={modelId}
          onPick={setModelId}
          options={models.map((m) => modelOption(m, plan))}
        />
        <Labelled label="How many">
          <CountField max={DEVICES_MAX} value={copies} onChange={setCopies} />
        </Labelled>
        <Labelled label="Name; several are numbered from it" error={nameProblem}>
          <TextField
            value={typedName ?? proposedName(plan, model)}
            aria-invalid={nameProblem !== undefined}
            onChange={(e) => setTypedName(e.target.value)}
          />
        </Labelled>
        <PickOne
          label="Place; type a name for a new one"
          value={placeId}
          onPick={setPlaceId}
          options={[
            { id: NONE, words: 'Unassigned' },
            ...[...plan.places.values()].sort(byName).map((p) => ({ id: p.id, words: p.name })),
          ]}
          made={(typed) => madePlace(typed)}
        />
        {roles.map((role) => (
          <PickOne
            key={role}
            label={ROLE_WORDS[role]}
            value={subnetIds[role]}
            onPick={(id) => setSubnetIds((now) => ({ ...now, [role]: id }))}
            options={[
              { id: NONE, words: 'No network yet', detail: 'or type a new prefix, 10.20.0.0/24' },
              ...subnets.map((s) => ({ id: s.id, words: `${s.name} ${s.cidr}` })),
            ]}
            made={(typed) => madeSubnet(plan, typed)}
          />
        ))}
        {model ? <Summary plan={plan} model={model} commands={commands} /> : null}
        <DialogActions className="col-span-2" onCancel={onClose} disabled={isBusy || commands.length === 0}>
          {devices.length > 1 ? `Add ${devices.length}` : 'Add'}
        </DialogActions>
      </form>
    </Modal>
  );
}

/** `Stage box` for a `Stage box 24 × 12`: the figures of a model are no counter. */
const proposedName = (plan: Plan, model: Model | undefined): string =>
  freeName(plan, /^(\D*[^\s\d,]),?\s+\d/.exec(model?.name ?? '')?.[1] ?? model?.name ?? 'Device');

const modelOption = (m: Model, plan: Plan): Pickable => ({
  id: m.id,
  words: m.name,
  detail: `${DEVICE_KIND_WORDS[m.kind]}${m.switching === null ? `, ${m.channelsReceive} in, ${m.channelsSend} out` : `, ${m.ports.length} ports`}${plan.models.has(m.id) ? ', in use' : ''}`,
  also: m.maker,
});

/** A place that is not there yet, by its name; also what stands for it once it is chosen. */
function madePlace(typed: string): Pickable | null {
  const name = (typed.startsWith(MAKE) ? typed.slice(1) : typed).trim();
  return name === '' ? null : { id: `${MAKE}${name}`, words: `New place: ${name}` };
}

function madeSubnet(plan: Plan, typed: string): Pickable | null {
  const block = parseCidr((typed.startsWith(MAKE) ? typed.slice(1) : typed).trim());
  if (block === null || block.prefix > 30) return null;
  const overlaps = overlapping(plan, block, []).map((id) => subnetName(plan, id));
  return {
    id: `${MAKE}${cidrText(block)}`,
    words: `New subnet: ${cidrText(block)}`,
    ...(overlaps.length > 0 ? { detail: `overlaps ${overlaps.join(', ')}` } : {}),
  };
}

/** What would come: names, addresses, and what the model can do. */
function Summary({
  plan,
  model,
  commands,
}: {
  plan: Plan;
  model: Model;
  commands: ReturnType<typeof proposeAddition>;
}) {
  const names = commands.flatMap((c) => (c.kind === 'add-device' ? [c.device.name] : []));
  const interfaces = commands.flatMap((c) => (c.kind === 'put-interface' ? [c.interface] : []));
  const made = commands.flatMap((c) =>
    c.kind === 'put-place' ? [`place ${c.place.name}`] : c.kind === 'put-subnet' ? [`subnet ${c.subnet.name}`] : [],
  );
  const spans = INTERFACE_ROLES.flatMap((role) => {
    const own = interfaces.filter((i) => i.name === role);
    const given = own.flatMap((i) => (i.address === null ? [] : [i.address]));
    if (own.length === 0 || own.every((i) => i.subnetId === null)) return [];
    if (given.length < own.length) {
      const left = own.length - given.length;
      return [
        `${ROLE_WORDS[role].replace(' in', '')}: ${count(left, 'address', 'addresses')} missing, the subnet is full`,
      ];
    }
    const span = given.length === 1 ? given[0] : `${given[0]} to ${given.at(-1)}`;
    return [`${ROLE_WORDS[role].replace(' in', '')} ${span}`];
  });
  const streams = (n: number | null) => (n === null ? 'an unknown number of streams' : count(n, 'stream'));
  return (
    <div className="col-span-2 flex flex-col gap-1 text-dim" aria-live="polite">
      {model.switching ? null : (
        <p>
          {count(model.channelsReceive, 'receiver channel')} in {streams(model.streamsReceive)},{' '}
          {count(model.channelsSend, 'sender channel')} in {streams(model.streamsSend)}
          {model.channelPool === null ? '' : `, ${model.channelPool} channels for both together`}.
        </p>
      )}
      <p className="text-ink">
        {names.length > 2 ? `${names[0]} to ${names.at(-1)}` : names.join(', ')}
        {spans.length > 0 ? <span className="font-mono text-[12px]"> · {spans.join(' · ')}</span> : null}
        {made.length > 0 ? ` · new: ${made.join(', ')}` : ''}
        {plan.models.has(model.id) ? '' : ` · new to the plan: model ${model.name}`}
      </p>
    </div>
  );
}
