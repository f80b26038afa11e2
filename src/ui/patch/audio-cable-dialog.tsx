import { byName } from '@/core/plan/name-order';
import { useMemo, useState } from 'react';
import { readDecimal } from '@/core/formats/table';
import { freeId } from '@/core/edits/propose-devices';
import type { Plan } from '@/core/plan/plan';
import { AUDIO_CABLE_KINDS, type AudioCable, type AudioCableKind } from '@/core/signal/audio-cables-table';
import { ownName } from '@/core/signal/channel-names';
import { terminalAt, type SignalEnd } from '@/core/signal/signal-end';
import { SIGNAL_FORMATS, type SignalFormat } from '@/core/signal/terminal-shape';
import { terminalsOf, type Terminal } from '@/core/signal/terminals';
import { Labelled, Modal, SelectField, TextField } from '@/ui/parts/controls';
import { CountField } from '@/ui/parts/count-field';
import { PickOne, type Pickable } from '@/ui/parts/pick-one';
import { AUDIO_CABLE_WORDS, endWords, printedNumber } from '@/ui/parts/signal-words';
import { deviceName } from '@/ui/parts/names';
import { commit } from '@/ui/session/actions';
import { DialogActions } from '@/ui/parts/dialog-actions';

const isSocket = (t: Terminal) => t.kind === 'connector' || t.kind === 'link';

/** What both ends can carry; a terminal that states no format carries any. */
function commonFormats(a: Terminal | undefined, b: Terminal | undefined): readonly SignalFormat[] {
  return SIGNAL_FORMATS.filter((f) =>
    [a, b].every((t) => t === undefined || t.formats.length === 0 || t.formats.includes(f)),
  );
}

/** Where a cable from or to this socket can go: links as a whole, connectors one by one. */
function farEnds(plan: Plan, here: SignalEnd, terminal: Terminal): Pickable[] {
  const wanted = terminal.direction === 'in' ? 'out' : 'in';
  return [...plan.devices.values()].sort(byName).flatMap((device) => {
    const model = plan.models.get(device.modelId);
    return (model ? terminalsOf(model) : [])
      .filter((t) => t.direction === wanted && isSocket(t) && commonFormats(t, terminal).length > 0)
      .flatMap((t) =>
        Array.from({ length: t.kind === 'link' ? 1 : t.channels }, (_, n): Pickable => {
          const end = { deviceId: device.id, terminalId: t.id, channel: n + 1 };
          const number = t.kind === 'link' ? '' : ` ${printedNumber(t, n + 1)}`;
          return {
            id: `${device.id}|${t.id}|${n + 1}`,
            words: `${device.name}, ${t.name}${number}`,
            detail: ownName(plan, end) ?? '',
          };
        }),
      )
      .filter(() => device.id !== here.deviceId);
  });
}

/** A cable that carries sound in any format but the network's, from an output to an input. */
export function AudioCableDialog({ plan, here, onClose }: { plan: Plan; here: SignalEnd; onClose: () => void }) {
  const terminal = terminalAt(plan, here);
  const [far, setFar] = useState('');
  const [chosenFormat, setFormat] = useState<SignalFormat | null>(null);
  const [kind, setKind] = useState<AudioCableKind | null>(null);
  const [metres, setMetres] = useState('10');
  const [name, setName] = useState('');
  const [typedChannels, setChannels] = useState<number | null>(null);
  const options = useMemo(() => (terminal ? farEnds(plan, here, terminal) : []), [plan, here, terminal]);
  if (terminal === undefined) return null;
  const [deviceId = '', terminalId = '', channel = '1'] = far.split('|');
  const other: SignalEnd = { deviceId, terminalId, channel: Number(channel) };
  const otherTerminal = far === '' ? undefined : terminalAt(plan, other);
  const formats = commonFormats(terminal, otherTerminal);
  const format = chosenFormat !== null && formats.includes(chosenFormat) ? chosenFormat : formats[0];
  const left = (t: Terminal | undefined, c: number) => (t === undefined ? 1 : t.channels - c + 1);
  const most = Math.max(1, Math.min(left(terminal, here.channel), left(otherTerminal, other.channel)));
  const isLink = terminal.kind === 'link' && otherTerminal?.kind === 'link';
  const channels = Math.min(most, typedChannels ?? (isLink ? most : 1));
  const [from, to] = terminal.direction === 'out' ? [here, other] : [other, here];
  const [fromPlug, toPlug] = [terminalAt(plan, from)?.connector ?? null, terminalAt(plan, to)?.connector ?? null];
  const adapter = fromPlug !== null && toPlug !== null && fromPlug !== toPlug ? `${fromPlug} to ${toPlug}` : null;
  const usualKind = kindFor(format, otherTerminal?.level?.isBalanced !== false && terminal.level?.isBalanced !== false);
  const length = readDecimal(metres);
  const isLength = metres.trim() === '' || (length !== null && length >= 0 && length <= 100_000);
  const isReady = otherTerminal !== undefined && format !== undefined && isLength;
  const add = async () => {
    if (!isReady || format === undefined) return;
    const usualName = `${deviceName(plan, from.deviceId)} to ${deviceName(plan, to.deviceId)}`.slice(0, 80);
    const cable: AudioCable = {
      id: freeId(name.trim() || usualName, plan.audioCables),
      name: name.trim() || usualName,
      from,
      to,
      channels,
      format,
      kind: kind ?? usualKind,
      grade: null,
      metres: length,
      fromPlug,
      toPlug,
      adapter,
      attenuationDb: null,
    };
    if (await commit(`plug ${endWords(plan, from)} into ${endWords(plan, to)}`, [{ kind: 'put-audio-cable', cable }]))
      onClose();
  };
  return (
    <Modal title={`A cable ${terminal.direction === 'out' ? 'from' : 'to'} ${endWords(plan, here)}`} onClose={onClose}>
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          void add();
        }}
      >
        <div className="col-span-full">
          <PickOne
            label={terminal.direction === 'out' ? 'To' : 'From'}
            value={far}
            options={options}
            onPick={setFar}
            autoFocus
          />
        </div>
        <Labelled label="Format">
          <SelectField value={format ?? ''} onChange={(e) => setFormat(e.target.value as SignalFormat)}>
            {formats.map((f) => (
              <option key={f} value={f}>
                {f}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <Labelled label={`Channels, up to ${most}`}>
          <CountField max={most} value={channels} onChange={setChannels} className="font-mono" />
        </Labelled>
        <Labelled label="Cable">
          <SelectField value={kind ?? usualKind} onChange={(e) => setKind(e.target.value as AudioCableKind)}>
            {AUDIO_CABLE_KINDS.map((k) => (
              <option key={k} value={k}>
                {AUDIO_CABLE_WORDS[k]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <Labelled label="Length, m" error={isLength ? undefined : 'From 0 to 100 000.'}>
          <TextField
            inputMode="decimal"
            className="font-mono"
            value={metres}
            onChange={(e) => setMetres(e.target.value)}
          />
        </Labelled>
        <div className="col-span-full flex flex-col">
          <Labelled label="Name, empty for the names of its ends">
            <TextField maxLength={80} value={name} onChange={(e) => setName(e.target.value)} />
          </Labelled>
        </div>
        {adapter === null ? null : (
          <p role="status" className="col-span-full text-[12px] text-ochre">
            Its ends differ: it needs an adapter, {adapter}.
          </p>
        )}
        <DialogActions className="col-span-full" onCancel={onClose} disabled={!isReady}>
          Plug in
        </DialogActions>
      </form>
    </Modal>
  );
}

function kindFor(format: SignalFormat | undefined, isBalanced: boolean): AudioCableKind {
  switch (format) {
    case 'MADI':
    case 'SDI':
      return 'coax';
    case 'ADAT':
      return 'optical';
    case 'AES50':
      return 'twisted-pair';
    default:
      return isBalanced ? 'balanced' : 'unbalanced';
  }
}
