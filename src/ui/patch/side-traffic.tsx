import { compareNames } from '@/core/plan/name-order';
import { useState } from 'react';
import { freeId } from '@/core/edits/propose-devices';
import { modelOf, type Plan } from '@/core/plan/plan';
import type { SideTraffic } from '@/core/signal/side-traffic-table';
import { terminalAt, type SignalEnd } from '@/core/signal/signal-end';
import type { SideKind } from '@/core/signal/terminal-shape';
import { terminalsOf, type Terminal } from '@/core/signal/terminals';
import { Choice } from '@/ui/parts/choice';
import { Button, Labelled, Modal, PanelHeading, TextField } from '@/ui/parts/controls';
import { PickOne, type Pickable } from '@/ui/parts/pick-one';
import { deviceName } from '@/ui/parts/names';
import { commit, commitWithUndo } from '@/ui/session/actions';
import type { View } from '@/ui/session/plan-store';
import { DialogActions } from '@/ui/parts/dialog-actions';

type SideEnd = SideTraffic['from'];

const placeWords = (plan: Plan, place: SideEnd): string =>
  `${deviceName(plan, place.deviceId)}, ${terminalAt(plan, place)?.name ?? place.terminalId}`;

/** MIDI, serial data and timecode that go along with the sound of a terminal, and whether they get where they have to. */
export function SideTrafficSection({
  plan,
  view,
  end,
  terminal,
  isPreview,
}: {
  plan: Plan;
  view: View;
  end: SignalEnd;
  terminal: Terminal;
  isPreview: boolean;
}) {
  const [isAdding, setAdding] = useState(false);
  const isHere = (p: SideEnd) => p.deviceId === end.deviceId && p.terminalId === end.terminalId;
  const own = [...plan.sideTraffic.values()].filter((t) => isHere(t.from) || isHere(t.to));
  if (terminal.carries.length === 0 && own.length === 0) return null;
  const ending = new Map(view.findings.flatMap((f) => (f.about === 'side-traffic-ends' ? [[f.trafficId, f.at]] : [])));
  const stateWords = (id: string) => {
    const at = ending.get(id);
    return at === undefined ? 'arrives' : at === null ? 'no audio path' : 'lost on the way';
  };
  return (
    <>
      <PanelHeading>Side traffic: {terminal.carries.join(', ')}</PanelHeading>
      <ul className="flex flex-col gap-1">
        {own.map((t) => (
          <li key={t.id} className="flex items-baseline gap-2">
            <span className="min-w-0 flex-1">
              {t.name}{' '}
              <span className="text-dim">
                {t.kind} {isHere(t.from) ? `to ${placeWords(plan, t.to)}` : `from ${placeWords(plan, t.from)}`}
              </span>
            </span>
            <span className={`text-[12px] ${ending.has(t.id) ? 'text-ochre' : 'text-dim'}`}>{stateWords(t.id)}</span>
            {isPreview ? null : (
              <Button
                tone="quiet"
                aria-label={`Remove ${t.name}`}
                onClick={() =>
                  void commitWithUndo(`remove ${t.name}`, [{ kind: 'remove-side-traffic', trafficId: t.id }])
                }
              >
                Remove
              </Button>
            )}
          </li>
        ))}
      </ul>
      {isPreview || terminal.carries.length === 0 ? null : (
        <Button className="mt-1.5" onClick={() => setAdding(true)}>
          Add side traffic …
        </Button>
      )}
      {isAdding ? <AddDialog plan={plan} from={end} terminal={terminal} onClose={() => setAdding(false)} /> : null}
    </>
  );
}

/** Every other terminal that carries a kind. */
const targetsOf = (plan: Plan, from: SideEnd, kind: SideKind | undefined): Pickable[] =>
  [...plan.devices.values()]
    .flatMap((d) => {
      const model = modelOf(plan, d.id);
      const own = model === undefined || kind === undefined ? [] : terminalsOf(model);
      return own
        .filter((t) => t.carries.includes(kind as SideKind) && !(d.id === from.deviceId && t.id === from.terminalId))
        .map((t) => ({ id: `${d.id} ${t.id}`, words: `${d.name}, ${t.name}`, detail: t.formats[0] ?? '' }));
    })
    .sort((a, b) => compareNames(a.words, b.words));

function AddDialog({
  plan,
  from,
  terminal,
  onClose,
}: {
  plan: Plan;
  from: SideEnd;
  terminal: Terminal;
  onClose: () => void;
}) {
  const [name, setName] = useState('');
  const [kind, setKind] = useState<SideKind | undefined>(terminal.carries[0]);
  const [target, setTarget] = useState('');
  const targets = targetsOf(plan, from, kind);
  const isReady = name.trim() !== '' && kind !== undefined && targets.some((t) => t.id === target);
  const add = async () => {
    if (!isReady || kind === undefined) return;
    const [deviceId = '', terminalId = ''] = target.split(' ');
    const traffic: SideTraffic = {
      id: freeId(name, plan.sideTraffic),
      name: name.trim(),
      kind,
      from: { deviceId: from.deviceId, terminalId: from.terminalId },
      to: { deviceId, terminalId },
    };
    if (await commit(`add ${traffic.name}`, [{ kind: 'put-side-traffic', traffic }])) onClose();
  };
  return (
    <Modal title={`Side traffic from ${placeWords(plan, from)}`} onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          void add();
        }}
      >
        <Labelled label="Name">
          <TextField autoFocus maxLength={80} value={name} onChange={(e) => setName(e.target.value)} />
        </Labelled>
        {kind === undefined ? null : (
          <Choice
            label="Kind"
            value={kind}
            of={terminal.carries}
            word={(k) => k}
            onChoose={(k) => {
              setKind(k);
              setTarget('');
            }}
          />
        )}
        <PickOne label="Destination" value={target} options={targets} onPick={setTarget} />
        <p className="text-dim">
          It travels with the audio from here to there, as far as every link on the way carries it.
        </p>
        <DialogActions className="" onCancel={onClose} disabled={!isReady}>
          Add
        </DialogActions>
      </form>
    </Modal>
  );
}
