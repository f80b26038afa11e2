import { REFERENCE_KINDS, type ReferenceKind } from '@/core/clocks/clock-ability';
import { plannedClock } from '@/core/clocks/clock-settings';
import type { Plan } from '@/core/plan/plan';
import type { Reference } from '@/core/clocks/references-table';
import { FindingSection } from '@/ui/frame/finding-list';
import { paceWords, REFERENCE_WORDS } from '@/ui/parts/clock-words';
import { nameOf, wholeFrom } from '@/ui/parts/checks';
import { Choice, NamedChoice, Tick } from '@/ui/parts/choice';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { deviceName } from '@/ui/parts/names';
import { OneField } from '@/ui/parts/one-field';
import { commit, commitWithUndo } from '@/ui/session/actions';
import type { View } from '@/ui/session/plan-store';
import { listenersOf } from './clock-rows';

/** GNSS and black burst carry no sample rate. */
const carriesRate = (kind: ReferenceKind) => kind !== 'gnss' && kind !== 'black-burst';

/** An outside signal: what it is, who gives it, who listens, and what if it goes. */
export function ReferencePanel({
  plan,
  view,
  reference,
  isLost,
  onLose,
}: {
  plan: Plan;
  view: View;
  reference: Reference;
  isLost: boolean;
  onLose: () => void;
}) {
  const listeners = listenersOf(plan, reference.id);
  const findings = view.findings.filter(
    (f) =>
      (f.about === 'reference-rate' && f.referenceId === reference.id) ||
      (f.about === 'reference-missing' && f.tried.some((t) => t.referenceId === reference.id)),
  );
  const put = (title: string, change: Partial<Reference>) =>
    void commit(`${title} of ${reference.name}`, [{ kind: 'put-reference', reference: { ...reference, ...change } }]);
  const givers = [...plan.devices.values()].filter(
    (d) => d.id === reference.fromDeviceId || plannedClock(plan, d.id)?.ability.referencesOut.includes(reference.kind),
  );
  return (
    <>
      <h2 className="pr-7 text-[14px] font-semibold">{reference.name}</h2>
      <p className="text-dim">
        {REFERENCE_WORDS[reference.kind]} from{' '}
        {reference.fromDeviceId === null ? 'outside' : deviceName(plan, reference.fromDeviceId)}.
      </p>
      <p className="mt-2">
        <Button onClick={onLose} disabled={isLost}>
          What if it is lost?
        </Button>
      </p>
      <FindingSection findings={findings} plan={plan} />
      <PanelHeading>Used by</PanelHeading>
      {listeners.length === 0 ? <p className="text-dim">No device yet. Add it in the settings of a device.</p> : null}
      <ul className="text-[12px]">
        {listeners.map((id) => {
          const media = view.clocks.media.get(id);
          return (
            <li key={id}>
              {deviceName(plan, id)}: <span className="text-dim">{media ? paceWords(plan, media) : ''}</span>
            </li>
          );
        })}
      </ul>
      <PanelHeading>Signal</PanelHeading>
      <Tick
        label="signal present"
        is={reference.isFed}
        onChange={(isFed) => put(isFed ? 'feed' : 'stop the feed', { isFed })}
      />
      <div className="mt-1 grid grid-cols-2 gap-2">
        <Choice
          label="Kind"
          value={reference.kind}
          of={REFERENCE_KINDS}
          word={(kind) => REFERENCE_WORDS[kind]}
          onChoose={(kind) =>
            put('change the kind', { kind, rateHz: carriesRate(kind) ? (reference.rateHz ?? 48_000) : null })
          }
        />
        <NamedChoice
          label="Comes from"
          value={reference.fromDeviceId}
          of={givers}
          none="outside"
          onChoose={(fromDeviceId) => put('change the source', { fromDeviceId })}
        />
        {carriesRate(reference.kind) ? (
          <OneField
            label="Rate, Hz"
            mono
            value={String(reference.rateHz ?? '')}
            check={wholeFrom(8000, 768_000)}
            onSave={(v) => put(`set the rate ${v}`, { rateHz: Number(v) })}
          />
        ) : null}
        <OneField
          label="Offset, µs"
          mono
          value={String(reference.offsetNs / 1000)}
          check={(v) => (v.trim() !== '' && Math.abs(Number(v)) <= 1_000_000 ? null : 'From -1000000 to 1000000.')}
          onSave={(v) => put('set the offset', { offsetNs: Math.round(Number(v) * 1000) })}
        />
        <OneField
          label="Name"
          value={reference.name}
          check={nameOf('reference')}
          onSave={(v) => put('rename', { name: v.trim() })}
        />
      </div>
      <div className="mt-2">
        <Button
          onClick={() =>
            void commitWithUndo(`remove the reference ${reference.name}`, [
              { kind: 'remove-reference', referenceId: reference.id },
            ])
          }
        >
          Remove the reference
        </Button>
      </div>
    </>
  );
}
