'use client';

import { REFERENCE_KINDS } from '@/core/clocks/ability';
import { plannedClock } from '@/core/clocks/clock-settings';
import type { Plan } from '@/core/plan/plan';
import type { Reference } from '@/core/plan/records';
import { FindingList } from '@/ui/frame/finding-list';
import { paceWords, REFERENCE_WORDS } from '@/ui/parts/clock-words';
import { Button, Labelled, PanelHeading, SelectField } from '@/ui/parts/controls';
import { deviceName } from '@/ui/parts/network-words';
import { OneField } from '@/ui/parts/one-field';
import { commit, commitWithUndo } from '@/ui/session/actions';
import type { View } from '@/ui/session/plan-store';
import { listenersOf } from './clock-rows';

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
  const carriesRate = reference.kind !== 'gnss' && reference.kind !== 'black-burst';
  const givers = [...plan.devices.values()].filter((d) =>
    plannedClock(plan, d.id)?.ability.referencesOut.includes(reference.kind),
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
      {findings.length > 0 ? (
        <>
          <PanelHeading>What is wrong</PanelHeading>
          <FindingList findings={findings} plan={plan} />
        </>
      ) : null}
      <PanelHeading>Who listens</PanelHeading>
      {listeners.length === 0 ? <p className="text-dim">Nobody yet: choose it at a device.</p> : null}
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
      <label className="flex items-center gap-2 py-0.5">
        <input
          type="checkbox"
          className="accent-jade"
          checked={reference.isFed}
          onChange={(e) => put(e.target.checked ? 'feed' : 'stop the feed', { isFed: e.target.checked })}
        />
        the signal is there
      </label>
      <div className="mt-1 grid grid-cols-2 gap-2">
        <Labelled label="Kind">
          <SelectField
            value={reference.kind}
            onChange={(e) => {
              const kind = REFERENCE_KINDS.find((k) => k === e.target.value) ?? reference.kind;
              const hasRate = kind !== 'gnss' && kind !== 'black-burst';
              put('change the kind', { kind, rateHz: hasRate ? (reference.rateHz ?? 48_000) : null });
            }}
          >
            {REFERENCE_KINDS.map((k) => (
              <option key={k} value={k}>
                {REFERENCE_WORDS[k]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <Labelled label="Comes from">
          <SelectField
            value={reference.fromDeviceId ?? ''}
            onChange={(e) => put('change the giver', { fromDeviceId: e.target.value || null })}
          >
            <option value="">outside</option>
            {givers.map((d) => (
              <option key={d.id} value={d.id}>
                {d.name}
              </option>
            ))}
            {reference.fromDeviceId !== null && !givers.some((d) => d.id === reference.fromDeviceId) ? (
              <option value={reference.fromDeviceId}>{deviceName(plan, reference.fromDeviceId)}</option>
            ) : null}
          </SelectField>
        </Labelled>
        {carriesRate ? (
          <OneField
            label="Rate, Hz"
            mono
            value={String(reference.rateHz ?? '')}
            check={(v) =>
              /^\d+$/.test(v.trim()) && Number(v) >= 8000 && Number(v) <= 768_000 ? null : 'From 8000 to 768000.'
            }
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
          check={(v) =>
            v.trim() === '' ? 'A reference needs a name.' : v.trim().length > 190 ? 'At most 190 characters.' : null
          }
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
