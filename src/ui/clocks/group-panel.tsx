import { isIn } from '@/core/findings/areas';
import { useState } from 'react';
import { changeGroupRate, membersOfGroup } from '@/core/clocks/group-rate';
import { plannedClock } from '@/core/clocks/clock-settings';
import { paceOfGroup } from '@/core/findings/paces';
import type { Plan } from '@/core/plan/plan';
import type { ClockGroup } from '@/core/clocks/clock-groups-table';
import { RATES_HZ } from '@/core/streams/format';
import { FindingSection } from '@/ui/frame/finding-list';
import { originWords, paceWords } from '@/ui/parts/clock-words';
import { nameOf } from '@/ui/parts/checks';
import { AddChoice, Choice, NamedChoice } from '@/ui/parts/choice';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { deviceName } from '@/ui/parts/names';
import { OneField } from '@/ui/parts/one-field';
import { likeLines, namesInShort } from '@/ui/parts/like-lines';
import { count, kHz } from '@/ui/parts/units';
import { commit, commitWithUndo, previewBatch } from '@/ui/session/actions';
import { effectsOf } from '@/ui/session/effects';
import { usePlan, type View } from '@/ui/session/plan-store';
import { paceDifferences } from './clock-rows';

/** A clock group: who decides its rate, who is in it, and what another rate would do. */
export function GroupPanel({ plan, view, group }: { plan: Plan; view: View; group: ClockGroup }) {
  const findings = view.findings.filter((f) => isIn('clocks', f) && 'groupId' in f && f.groupId === group.id);
  const members = membersOfGroup(plan, group.id);
  const pace = paceOfGroup(plan, view.clocks, group.id);
  const rates = RATES_HZ.filter((r) => r !== group.rateHz);
  const [rateHz, setRate] = useState(rates[0] ?? group.rateHz);
  const change = changeGroupRate(plan, group.id, rateHz);
  const put = (title: string, next: Partial<ClockGroup>) =>
    void commit(title, [{ kind: 'put-clock-group', group: { ...group, ...next } }]);
  const authority = group.authority === null ? null : `${group.authority.kind}:${group.authority.id}`;
  const decides = group.authority?.kind === 'device' ? [group.authority.id] : [];
  const deciders = [
    ...[...new Set([...members, ...decides])].map((id) => ({ id: `device:${id}`, name: deviceName(plan, id) })),
    ...[...plan.references.values()].map(({ id, name }) => ({ id: `reference:${id}`, name })),
  ];
  const outsiders = [...plan.devices.values()].filter((d) => {
    const planned = plannedClock(plan, d.id);
    return planned !== null && planned.model.ratesHz.length > 0 && planned.settings.groupId !== group.id;
  });
  return (
    <>
      <h2 className="pr-7 text-[14px] font-semibold">{group.name}</h2>
      <p className="text-dim">
        {count(members.length, 'device')} at {kHz(group.rateHz)} kHz
        {pace === null ? '' : `, clocked by ${originWords(plan, pace.origin)}`}.
      </p>
      <WhatFollows />
      <FindingSection findings={findings} plan={plan} />
      <PanelHeading>Who decides the rate</PanelHeading>
      <NamedChoice
        label="Rate decided by"
        value={authority}
        of={deciders}
        none="none"
        onChoose={(chosen) => put(`change who decides the rate of ${group.name}`, { authority: authorityOf(chosen) })}
      />
      <PanelHeading>Change the rate</PanelHeading>
      <div className="flex items-end gap-2">
        <Choice label="Rate, kHz" value={rateHz} of={rates} word={kHz} onChoose={setRate} />
        <Button onClick={() => void previewBatch(`run ${group.name} at ${kHz(rateHz)} kHz`, change.commands)}>
          Preview the change …
        </Button>
      </div>
      {change.cannot.length > 0 ? (
        <p className="mt-1 text-[12px] text-ochre">
          Do not support {kHz(rateHz)} kHz and keep their rate:{' '}
          {change.cannot.map((id) => deviceName(plan, id)).join(', ')}.
        </p>
      ) : null}
      <PanelHeading>Devices</PanelHeading>
      <ul className="text-[12px]">
        {members.map((id) => (
          <li key={id} className="flex justify-between gap-2">
            <span className="truncate">{deviceName(plan, id)}</span>
            <span className="font-mono text-dim">{kHz(plan.devices.get(id)?.rateHz ?? 0)}</span>
          </li>
        ))}
      </ul>
      <AddChoice
        label="Add a device to this group"
        of={outsiders}
        onChoose={(id) => {
          const settings = plannedClock(plan, id)?.settings;
          if (settings === undefined) return;
          void commit(`add ${deviceName(plan, id)} to ${group.name}`, [
            { kind: 'put-clock', settings: { ...settings, groupId: group.id } },
          ]);
        }}
      />
      <PanelHeading>Group</PanelHeading>
      <OneField
        label="Name"
        value={group.name}
        check={nameOf('group')}
        onSave={(v) => put(`rename ${group.name}`, { name: v.trim() })}
      />
      <div className="mt-2">
        <Button
          onClick={() =>
            void commitWithUndo(`remove the clock group ${group.name}`, [
              { kind: 'remove-clock-group', groupId: group.id },
            ])
          }
        >
          Remove the group
        </Button>
      </div>
    </>
  );
}

/** `device:loft-console` or `reference:boat`. */
function authorityOf(text: string | null): ClockGroup['authority'] {
  if (text === null) return null;
  const colon = text.indexOf(':');
  return { kind: text.slice(0, colon) === 'reference' ? 'reference' : 'device', id: text.slice(colon + 1) };
}

/** While a change is looked at: what every time keeper does, which lanes break, which budgets shrink. */
export function WhatFollows() {
  const base = usePlan((s) => s.view);
  const basePlan = usePlan((s) => s.plan);
  const preview = usePlan((s) => s.preview);
  if (preview === null || base === null || basePlan === null) return null;
  const { plan, view } = preview;
  const paces = paceDifferences(base.clocks, view.clocks);
  const { refusedLanes: broken, mendedLanes: mended } = effectsOf(base, view);
  const budgetLines: { name: string; what: string }[] = [];
  for (const [id, now] of view.budgets) {
    const was = base.budgets.get(id);
    if (was === undefined) continue;
    const changes = (['streamsReceive', 'streamsSend'] as const).flatMap((side) =>
      was[side].used === now[side].used
        ? []
        : [
            `${side === 'streamsReceive' ? 'streams in' : 'streams out'} ${was[side].used} → ${now[side].used} of ${now[side].limit}`,
          ],
    );
    if (changes.length > 0) budgetLines.push({ name: deviceName(plan, id), what: changes.join(', ') });
  }
  const paceLines = paces.map((p) => ({
    name: deviceName(plan, p.deviceId),
    what: `${p.before.rateHz === p.after.rateHz ? '' : `${kHz(p.before.rateHz)} → ${kHz(p.after.rateHz)} kHz, `}${paceWords(plan, p.after)}`,
  }));
  const isStopped = new Set(
    paces
      .filter((p) => p.after.state === 'free' || p.after.state === 'stopped')
      .map((p) => deviceName(plan, p.deviceId)),
  );
  return (
    <section aria-label="Affected" className="mt-2 rounded border border-violet px-2 py-1.5 text-[12px]">
      <p>
        {broken === 0 ? 'No lane breaks' : <span className="text-madder">{count(broken, 'lane')} break</span>}
        {mended > 0 ? `, ${mended} mended` : ''}. {count(paces.length, 'clock')} change.
      </p>
      <ul>
        {likeLines(paceLines).map((line) => (
          <li key={line.what} className="border-t border-line/60 py-0.5" title={line.names.join(', ')}>
            {namesInShort(line.names)}:{' '}
            <span className={line.names.some((n) => isStopped.has(n)) ? 'text-madder' : ''}>{line.what}</span>
          </li>
        ))}
      </ul>
      <ul className="text-dim">
        {likeLines(budgetLines).map((line) => (
          <li key={line.what} title={line.names.join(', ')}>
            {namesInShort(line.names)}: {line.what}
          </li>
        ))}
      </ul>
    </section>
  );
}
