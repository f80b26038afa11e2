import { compareNames } from '@/core/plan/name-order';
import { useState } from 'react';
import { cablesFor } from '@/core/network/cable';
import { modelOf, type Plan } from '@/core/plan/plan';
import { freeId } from '@/core/edits/propose-devices';
import { CABLES, PLAIN_LINK, type Cable, type LinkEnd } from '@/core/network/links-table';
import type { Device } from '@/core/plan/devices-table';
import { freeSockets } from '@/core/plan/sockets';
import { Labelled, Modal, SelectField, TextField } from '@/ui/parts/controls';
import { CABLE_WORDS } from '@/ui/parts/network-words';
import { deviceName } from '@/ui/parts/names';
import { bits } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';
import { DialogActions } from '@/ui/parts/dialog-actions';

/** A cable between two sockets. What can be known is filled in: free sockets, the speed both do, a cable that reaches. */
export function PlugDialog({
  plan,
  from: start,
  to = null,
  onClose,
}: {
  plan: Plan;
  from: { readonly deviceId: string; readonly port: string | null };
  to?: string | null;
  onClose: (linkId: string | null) => void;
}) {
  const isSwitch = (id: string) => modelOf(plan, id)?.switching != null;
  const able = [...plan.devices.values()]
    .filter((d) => d.id === start.deviceId || freeSockets(plan, d.id).length > 0)
    .sort((a, b) => Number(isSwitch(b.id)) - Number(isSwitch(a.id)) || compareNames(a.name, b.name));
  const [fromId, setFromId] = useState(start.deviceId);
  const [fromPortChosen, setFromPort] = useState<string | null>(start.port);
  const [toChosen, setToId] = useState<string | null>(to);
  const [toPortChosen, setToPort] = useState<string | null>(null);
  const others = able.filter((d) => d.id !== fromId);
  const toId = toChosen !== null && toChosen !== fromId ? toChosen : (others[0]?.id ?? '');
  const fromPort = fromPortChosen ?? likelyPort(plan, fromId, toId);
  const toPort = toPortChosen ?? likelyPort(plan, toId, fromId);
  const [metres, setMetres] = useState('10');
  const [cableChosen, setCable] = useState<Cable | '' | null>(null);
  const speedOf = (id: string, port: string) =>
    modelOf(plan, id)?.ports.find((p) => p.name === port)?.bitsPerSecond ?? 0;
  const speed = Math.min(speedOf(fromId, fromPort), speedOf(toId, toPort));
  const length = Number(metres);
  const isLength = metres.trim() !== '' && length >= 0 && length <= 100_000;
  const cable =
    cableChosen ?? (isLength && speed > 0 ? (cablesFor(length, speed).find((c) => c !== 'cat5e') ?? '') : '');
  const isReady = fromPort !== '' && toPort !== '' && speed > 0 && isLength;

  const plug = async () => {
    const id = freeId(`${fromId}-${toId}`, plan.links);
    const end = (deviceId: string, port: string): LinkEnd => ({ deviceId, port });
    const link = {
      id,
      from: end(fromId, fromPort),
      to: end(toId, toPort),
      bitsPerSecond: speed,
      metres: length,
      ...PLAIN_LINK,
      cable: cable === '' ? null : cable,
    };
    const title = `plug ${deviceName(plan, fromId)} into ${deviceName(plan, toId)}`;
    if (await commit(title, [{ kind: 'put-link', link }])) onClose(id);
  };

  return (
    <Modal title="A new cable" onClose={() => onClose(null)}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          if (isReady) void plug();
        }}
        className="grid grid-cols-2 gap-3"
      >
        <EndFields
          plan={plan}
          label="From"
          devices={able}
          deviceId={fromId}
          port={fromPort}
          onDevice={(id) => {
            setFromId(id);
            setFromPort(null);
          }}
          onPort={setFromPort}
        />
        <EndFields
          plan={plan}
          label="Into"
          isFirst
          devices={others}
          deviceId={toId}
          port={toPort}
          onDevice={(id) => {
            setToId(id);
            setToPort(null);
          }}
          onPort={setToPort}
        />
        <Labelled label="Metres" error={isLength ? undefined : 'A length from 0 to 100 000.'}>
          <TextField inputMode="decimal" value={metres} onChange={(e) => setMetres(e.target.value)} />
        </Labelled>
        <Labelled label="Cable">
          <SelectField value={cable} onChange={(e) => setCable(e.target.value as Cable | '')}>
            <option value="">not stated</option>
            {CABLES.map((c) => (
              <option key={c} value={c}>
                {CABLE_WORDS[c]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <p className="col-span-2 text-dim">
          {others.length === 0
            ? 'No other device has a free port.'
            : speed > 0
              ? `Both ports run at ${bits(speed)}.`
              : 'Choose a free port at both ends.'}
        </p>
        <DialogActions className="col-span-2" onCancel={() => onClose(null)} disabled={!isReady}>
          Plug in
        </DialogActions>
      </form>
    </Modal>
  );
}

/** One end of the cable: a device, and one of its free sockets. */
function EndFields({
  plan,
  label,
  isFirst = false,
  devices,
  deviceId,
  port,
  onDevice,
  onPort,
}: {
  plan: Plan;
  label: string;
  /** Whether the keyboard begins here. */
  isFirst?: boolean;
  devices: readonly Device[];
  deviceId: string;
  port: string;
  onDevice: (id: string) => void;
  onPort: (port: string) => void;
}) {
  return (
    <>
      <Labelled label={label}>
        <SelectField autoFocus={isFirst} value={deviceId} onChange={(e) => onDevice(e.target.value)}>
          {devices.map((d) => (
            <option key={d.id} value={d.id}>
              {d.name}
            </option>
          ))}
        </SelectField>
      </Labelled>
      <Labelled label="its port">
        <SelectField value={port} onChange={(e) => onPort(e.target.value)}>
          {freeSockets(plan, deviceId).map((p) => (
            <option key={p.name}>{p.name}</option>
          ))}
        </SelectField>
      </Labelled>
    </>
  );
}

/** Between switches an uplink, from a switch to a device a plain socket, from a device its first free one. */
function likelyPort(plan: Plan, deviceId: string, otherId: string): string {
  const free = freeSockets(plan, deviceId);
  const switching = (id: string) => modelOf(plan, id)?.switching;
  if (!switching(deviceId)) return free[0]?.name ?? '';
  const fastest = Math.max(0, ...free.map((p) => p.bitsPerSecond));
  const wanted = switching(otherId) ? free.find((p) => p.bitsPerSecond === fastest) : free[0];
  return (wanted ?? free[0])?.name ?? '';
}
