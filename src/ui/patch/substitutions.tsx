import { byName, compareNames } from '@/core/plan/name-order';
import { useMemo, useState } from 'react';
import { filledChannels } from '@/core/edits/fill';
import { freeId } from '@/core/edits/propose-devices';
import { beginSubstitution, endSubstitution } from '@/core/edits/substitute';
import type { Substitution } from '@/core/patch/substitutions-table';
import type { Plan } from '@/core/plan/plan';
import { terminalAt, type SignalEnd } from '@/core/signal/signal-end';
import { NETWORK_IN, terminalsOf, type Terminal } from '@/core/signal/terminals';
import { Button, Labelled, Modal, PanelHeading, TextField } from '@/ui/parts/controls';
import { PickOne, type Pickable } from '@/ui/parts/pick-one';
import { printedNumber } from '@/ui/parts/signal-words';
import { count, timeOfDay } from '@/ui/parts/units';
import { channelName, deviceName } from '@/ui/parts/names';
import { commit, previewBatch } from '@/ui/session/actions';
import { thisAuthor } from '@/ui/session/author';
import { useMinute } from '@/ui/session/minute';
import type { PatchChannel } from '@/workers/patch-view';
import { endsWords } from './patch-bar';

const DAY_MS = 24 * 60 * 60 * 1000;

const channelsOf = (s: Substitution) => s.strips.length + s.lanes.length;

/** What it takes the place of is seen before it begins. */
const startNow = (plan: Plan, s: Substitution) =>
  previewBatch(`start ${s.name}`, beginSubstitution(plan, s, thisAuthor().name, Date.now()).commands);

/** Every substitution of the plan: who began it, when and why, and one press to end it or to start it again. */
export function SubstitutionList({ plan }: { plan: Plan }) {
  const now = useMinute();
  const all = [...plan.substitutions.values()].sort(
    (a, b) => Number(b.since !== null) - Number(a.since !== null) || compareNames(a.name, b.name),
  );
  if (all.length === 0) return null;
  const start = (s: Substitution) => void startNow(plan, s);
  const end = (s: Substitution) => void commit(`end ${s.name}`, endSubstitution(plan, s).commands);
  return (
    <>
      <PanelHeading>Substitutions</PanelHeading>
      <ul aria-label="Substitutions" className="flex flex-col gap-2">
        {all.map((s) => (
          <li
            key={s.id}
            className={`rounded border border-l-[3px] border-line px-2.5 py-2 ${s.since === null ? 'border-l-slate' : now - s.since > DAY_MS ? 'border-l-ochre' : 'border-l-jade'}`}
          >
            <p>
              <b className="font-medium">{s.name}</b>{' '}
              <span className="text-dim">
                {count(channelsOf(s), 'channel')},{' '}
                {s.since === null ? 'inactive' : `since ${timeOfDay(s.since, now)}, by ${s.by ?? 'somebody'}`}
              </span>
            </p>
            {s.why === '' ? null : <p className="text-[12px] text-dim">{s.why}</p>}
            <p className="mt-1.5 flex gap-2">
              {s.since === null ? (
                <>
                  <Button onClick={() => start(s)}>Start …</Button>
                  <Button
                    tone="quiet"
                    onClick={() =>
                      void commit(`remove ${s.name}`, [{ kind: 'remove-substitution', substitutionId: s.id }])
                    }
                  >
                    Remove
                  </Button>
                </>
              ) : (
                <Button onClick={() => end(s)}>End</Button>
              )}
            </p>
          </li>
        ))}
      </ul>
    </>
  );
}

/** What can take the place of what feeds the channels: what the device has itself, and every channel that another one sends. */
function sourcesFor(plan: Plan, ends: readonly SignalEnd[], channels: readonly PatchChannel[]): Pickable[] {
  const deviceId = ends[0]?.deviceId ?? '';
  const model = plan.models.get(plan.devices.get(deviceId)?.modelId ?? '');
  const fed = new Set(ends.map((e) => e.terminalId));
  const terminals = model ? terminalsOf(model) : [];
  const from = new Set(terminals.filter((t) => fed.has(t.id)).flatMap((t) => t.patchFrom));
  const own = channels
    .filter((c) => from.has(c.terminalId))
    .map((c): Pickable => {
      const terminal = terminals.find((t) => t.id === c.terminalId);
      return {
        id: `own|${c.terminalId}|${c.channel}`,
        words: `${terminal?.name ?? c.terminalId} ${printedNumber(terminal, c.channel)}: ${c.soundName ?? c.ownName ?? 'free'}`,
        detail: deviceName(plan, deviceId),
      };
    });
  const others = [...plan.devices.values()]
    .filter((d) => d.id !== deviceId)
    .sort(byName)
    .flatMap((d) =>
      Array.from({ length: plan.models.get(d.modelId)?.channelsSend ?? 0 }, (_, n): Pickable => ({
        id: `lane|${d.id}|${n + 1}`,
        words: `${d.name} ${n + 1}: ${channelName(plan, d.id, 'send', n + 1)}`,
        detail: 'over the network',
      })),
    );
  return [...own, ...others];
}

/** The network channel that feeds a channel of a device, through what is patched or normalled; null: another thing does. */
function networkFeed(end: SignalEnd, byKey: ReadonlyMap<string, PatchChannel>): number | null {
  let at: PatchChannel | undefined = byKey.get(`${end.terminalId}:${end.channel}`);
  for (let hops = 0; at !== undefined && hops < 16; hops += 1) {
    if (at.terminalId === NETWORK_IN) return at.channel;
    const [only] = at.feeders;
    if (at.feeders.length !== 1 || only?.deviceId !== end.deviceId) return null;
    at = byKey.get(`${only.terminalId}:${only.channel}`);
  }
  return null;
}

/** Feeds the selected channels from something else until further notice, now or by name later. */
export function SubstituteDialog({
  plan,
  ends,
  channels,
  onClose,
}: {
  plan: Plan;
  ends: readonly SignalEnd[];
  channels: readonly PatchChannel[];
  onClose: () => void;
}) {
  const [name, setName] = useState('');
  const [why, setWhy] = useState('');
  const [source, setSource] = useState('');
  const [isKept, setKept] = useState(ends.length > 1);
  const options = useMemo(() => sourcesFor(plan, ends, channels), [plan, ends, channels]);
  const made = useMemo(() => substitutionFor(plan, ends, channels, source), [plan, ends, channels, source]);
  const isReady = name.trim() !== '' && made !== null && made.strips.length + made.lanes.length > 0;
  const put = async (isStarted: boolean) => {
    if (!isReady || made === null) return;
    const substitution: Substitution = {
      id: freeId(name, plan.substitutions),
      name: name.trim(),
      why: why.trim(),
      by: null,
      since: null,
      isKept,
      strips: made.strips,
      lanes: made.lanes,
    };
    if (isStarted) {
      onClose();
      await startNow(plan, substitution);
    } else {
      const kept = { kind: 'put-substitution', substitution: { ...substitution, isKept: true } } as const;
      if (await commit(`keep ${substitution.name}`, [kept])) onClose();
    }
  };
  return (
    <Modal title={`Substitute for ${endsWords(plan, ends)}`} onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          void put(true);
        }}
      >
        <PickOne
          label={ends.length === 1 ? 'Fed meanwhile from' : 'Fed meanwhile in order, from'}
          value={source}
          options={options}
          onPick={setSource}
          autoFocus
        />
        <Labelled label="Name">
          <TextField value={name} maxLength={120} onChange={(e) => setName(e.target.value)} placeholder="Dress run" />
        </Labelled>
        <Labelled label="Why">
          <TextField
            value={why}
            maxLength={2000}
            onChange={(e) => setWhy(e.target.value)}
            placeholder="The captain is away on Tuesdays"
          />
        </Labelled>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" className="accent-jade" checked={isKept} onChange={(e) => setKept(e.target.checked)} />
          Keep it in the list when it ends, to start it again
        </label>
        {made === null ? null : (
          <p role="status" className="text-[12px] text-dim">
            {made.lanes.length > 0
              ? `${count(made.lanes.length, 'lane')} to ${deviceName(plan, ends[0]?.deviceId ?? '')} will be fed from there; they have to be sent.`
              : `${count(made.strips.length, 'channel')} patched within ${deviceName(plan, ends[0]?.deviceId ?? '')}.`}
            {made.left > 0
              ? ` ${count(made.left, 'channel')} left out: nothing left for ${made.left === 1 ? 'it' : 'them'}.`
              : ''}
          </p>
        )}
        <p className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button disabled={!isReady} onClick={() => void put(false)}>
            Save for later
          </Button>
          <Button tone="main" type="submit" disabled={!isReady}>
            Preview
          </Button>
        </p>
      </form>
    </Modal>
  );
}

function substitutionFor(plan: Plan, ends: readonly SignalEnd[], channels: readonly PatchChannel[], source: string) {
  const [kind, id = '', first = ''] = source.split('|');
  if (kind !== 'own' && kind !== 'lane') return null;
  const deviceId = ends[0]?.deviceId ?? '';
  const terminal: Terminal | undefined = kind === 'own' ? terminalAt(plan, { deviceId, terminalId: id }) : undefined;
  const most =
    kind === 'own'
      ? (terminal?.channels ?? 0)
      : (plan.models.get(plan.devices.get(id)?.modelId ?? '')?.channelsSend ?? 0);
  const from = filledChannels(Number(first), ends.length, most, { pattern: 'in-step', step: 1 });
  const byKey = new Map(channels.map((c) => [`${c.terminalId}:${c.channel}`, c]));
  const strips: Substitution['strips'][number][] = [];
  const lanes: Substitution['lanes'][number][] = [];
  let left = 0;
  ends.forEach((end, n) => {
    const channel = from[n] ?? null;
    const receiverChannel = kind === 'lane' ? networkFeed(end, byKey) : null;
    const fed = terminalAt(plan, end);
    if (channel === null) left += 1;
    else if (kind === 'own' && fed?.patchFrom.includes(id)) {
      strips.push({ ...end, fromTerminalId: id, fromChannel: channel, was: null });
    } else if (receiverChannel !== null) {
      const to = { receiverDeviceId: deviceId, receiverChannel, senderDeviceId: id, senderChannel: channel };
      lanes.push({ ...to, wasSenderDeviceId: null, wasSenderChannel: null });
    } else left += 1;
  });
  return { strips, lanes, left };
}
