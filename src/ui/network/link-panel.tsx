import Link from 'next/link';
import { useState } from 'react';
import { ptpTerms } from '@/core/network/allowances';
import { longestRunMetres } from '@/core/network/cable';
import { modelOf, type Plan } from '@/core/plan/plan';
import { CABLES, type Cable, type Link as Cabling } from '@/core/network/links-table';
import { FindingSection } from '@/ui/frame/finding-list';
import { Age } from '@/ui/parts/age';
import { Button, Labelled, PanelHeading, SelectField } from '@/ui/parts/controls';
import { OneField } from '@/ui/parts/one-field';
import { CABLE_WORDS, endName, linkName, streamName, usableWords } from '@/ui/parts/network-words';
import { deviceName } from '@/ui/parts/names';
import { bits, count, time } from '@/ui/parts/units';
import { Working } from '@/ui/parts/working';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { commit, commitWithUndo } from '@/ui/session/actions';
import { usePlan, type View } from '@/ui/session/plan-store';
import type { DirectionDetail, StreamOnLink } from '@/workers/reckon-view';
import { LoadBar } from './bars';
import { ETHERNET_SPEEDS } from '@/ui/parts/ethernet-speeds';
import { linkIdsOf } from './network-rows';

/** One cable: what it carries each way, stream by stream and why, and how it is laid. */
export function LinkPanel({ plan, view, link }: { plan: Plan; view: View; link: Cabling }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const detail = useWorkerAnswer({
    question: 'linkDetail',
    about: [link.id, view],
    ask: (worker) => worker.linkDetail(link.id),
    failed: 'What the cable carries could not be worked out',
  });
  const findings = view.findings.filter((f) => linkIdsOf(f).includes(link.id));
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{linkName(plan, link)}</h2>
      <p className="text-dim">
        {endName(plan, link.from)} – {endName(plan, link.to)}
      </p>
      {detail?.isIdle ? (
        <p className="mt-1 text-dim">Idle: the spanning tree keeps it out, so that no ring is closed.</p>
      ) : null}
      {detail && detail.joinedLinkIds.length > 1 ? (
        <p className="mt-1 text-dim">
          One of {detail.joinedLinkIds.length} cables of a LAG. Each stream uses one of them.
        </p>
      ) : null}
      <FindingSection findings={findings} plan={plan} />
      {detail?.directions.map((d, n) => (
        <Direction key={n} plan={plan} linkId={link.id} direction={d} />
      ))}
      <p className="mt-2">
        <Link
          href={`/plans/${planId}/clocks?lost=link:${link.id}`}
          className="underline underline-offset-2 focus-visible:outline-2 focus-visible:outline-jade"
        >
          Failure drill: what if it is cut?
        </Link>
      </p>
      <InField link={link} />
      <LinkSettings plan={plan} link={link} />
    </>
  );
}

/** How the cable came up, where a switch at one of its ends says. */
function InField({ link }: { link: Cabling }) {
  const found = usePlan((s) => s.field.links.get(link.id));
  const from = usePlan((s) => s.field.switches.get(link.from.deviceId));
  const to = usePlan((s) => s.field.switches.get(link.to.deviceId));
  if (found === undefined) return null;
  const ages = [from?.readAt, to?.readAt].filter((at): at is number => at != null);
  const duplex = found.duplex === null ? '' : `, ${found.duplex} duplex`;
  return (
    <>
      <PanelHeading>In the field</PanelHeading>
      <p className="flex items-center gap-2">
        {found.isUp ? `Up${found.bitsPerSecond === null ? '' : ` at ${bits(found.bitsPerSecond)}`}${duplex}` : 'Down'}
        {ages.length > 0 ? <Age at={Math.min(...ages)} /> : null}
      </p>
    </>
  );
}

const SHOWN_MAX = 8;

function Direction({ plan, linkId, direction }: { plan: Plan; linkId: string; direction: DirectionDetail }) {
  const [isAll, setAll] = useState(false);
  const usable = usableWords(plan, linkId, direction.usableBitsPerSecond);
  const shown = isAll ? direction.streams : direction.streams.slice(0, SHOWN_MAX);
  return (
    <section>
      <PanelHeading>
        {deviceName(plan, direction.sendsId)} → {deviceName(plan, direction.hearsId)}
      </PanelHeading>
      <LoadBar
        share={direction.share}
        ceilingPercent={plan.settings.loadCeilingPercent}
        label={`${bits(direction.bitsPerSecond)} of ${usable}`}
      />
      <details className="mt-1">
        <summary className="cursor-pointer text-dim focus-visible:outline-2 focus-visible:outline-jade">
          {bits(direction.bitsPerSecond)} of {usable}: calculation
        </summary>
        <Working terms={direction.terms} />
        <p className="mt-1.5 text-[12px] text-dim">
          Clock messages: {count(direction.ptp.followers, 'follower')} reached, at the intervals of the clocks they
          follow.
        </p>
        <Working terms={ptpTerms(direction.ptp)} />
        <p className="mt-1.5 text-[12px] text-dim">
          A media packet may wait {time(direction.frameNs)} behind a frame of a lower class and{' '}
          {time(direction.queueNs)} behind one packet of every stream here.
        </p>
      </details>
      {direction.streams.length === 0 ? (
        <p className="mt-1 text-dim">No stream in this direction.</p>
      ) : (
        <ul className="mt-1.5">
          {shown.map((s) => (
            <StreamLine key={`${s.streamId} ${s.leg}`} plan={plan} stream={s} />
          ))}
        </ul>
      )}
      {direction.streams.length > shown.length ? (
        <Button tone="quiet" onClick={() => setAll(true)}>
          {direction.streams.length - shown.length} more …
        </Button>
      ) : null}
    </section>
  );
}

function StreamLine({ plan, stream }: { plan: Plan; stream: StreamOnLink }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const names = stream.receiverIds.map((id) => deviceName(plan, id));
  const why =
    stream.runsFor === 'querier'
      ? 'towards the querier: a snooping switch forwards every group to it'
      : stream.runsFor === 'flood'
        ? 'not requested here: an upstream switch does not snoop'
        : names.length === 1
          ? `to ${names[0]}`
          : `to ${names.slice(0, 2).join(', ')}${names.length > 2 ? ` and ${names.length - 2} more` : ''}`;
  return (
    <li className="grid grid-cols-[1fr_auto] gap-x-2 border-t border-line/60 py-1">
      <Link
        href={`/plans/${planId}/network?view=streams&sel=stream:${encodeURIComponent(stream.streamId)}`}
        className="truncate underline-offset-2 hover:underline focus-visible:outline-2 focus-visible:outline-jade"
      >
        {streamName(plan, stream.streamId)} <span className="text-dim">leg {stream.leg}</span>
      </Link>
      <span className="text-right font-mono text-[12px]">
        {stream.copies > 1 ? `${stream.copies} × ` : ''}
        {bits(stream.bitsPerSecond)}
      </span>
      <span className="col-span-2 text-[12px] text-dim" title={names.join(', ')}>
        {why}
        {stream.vlans.map(({ subnetId, rootId }) => {
          const subnet = plan.subnets.get(subnetId);
          const vlan = subnet?.vlan == null ? (subnet?.name ?? '') : `VLAN ${subnet.vlan}`;
          return `; ${vlan}, by its tree from ${deviceName(plan, rootId)}`;
        })}
        {stream.copies > 1 ? `; once in each of ${stream.copies} VLANs` : ''}
      </span>
    </li>
  );
}

function LinkSettings({ plan, link }: { plan: Plan; link: Cabling }) {
  const name = linkName(plan, link);
  const save = (title: string, change: Partial<Cabling>) =>
    void commit(title, [{ kind: 'put-link', link: { ...link, ...change } }]);
  const speeds = ETHERNET_SPEEDS.includes(link.bitsPerSecond)
    ? ETHERNET_SPEEDS
    : [...ETHERNET_SPEEDS, link.bitsPerSecond].sort((a, b) => a - b);
  const limit = link.cable === null ? null : longestRunMetres(link.cable, link.bitsPerSecond);
  const isBetweenSwitches = [link.from, link.to].every((e) => modelOf(plan, e.deviceId)?.switching);
  return (
    <>
      <PanelHeading>Settings</PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <Labelled label="Speed">
          <SelectField
            value={link.bitsPerSecond}
            onChange={(e) =>
              save(`plan ${name} at ${bits(Number(e.target.value))}`, { bitsPerSecond: Number(e.target.value) })
            }
          >
            {speeds.map((s) => (
              <option key={s} value={s}>
                {bits(s)}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <Labelled label="Duplex">
          <SelectField
            value={link.duplex}
            onChange={(e) => save(`change the duplex of ${name}`, { duplex: e.target.value as Cabling['duplex'] })}
          >
            <option value="full">full</option>
            <option value="half">half</option>
          </SelectField>
        </Labelled>
        <Labelled label="Cable">
          <SelectField
            value={link.cable ?? ''}
            onChange={(e) => save(`change the cable of ${name}`, { cable: (e.target.value || null) as Cable | null })}
          >
            <option value="">not stated</option>
            {CABLES.map((c) => (
              <option key={c} value={c}>
                {CABLE_WORDS[c]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <OneField
          label={limit === null || !Number.isFinite(limit) ? 'Metres' : `Metres, at most ${limit}`}
          mono
          value={String(link.metres)}
          check={(v) => (Number(v) >= 0 && v.trim() !== '' ? null : 'A length in metres.')}
          onSave={(v) => save(`set the length of ${name}`, { metres: Number(v) })}
        />
        <OneField
          label="Reserved, %"
          mono
          value={String(link.setAsidePercent)}
          check={(v) => (Number.isInteger(Number(v)) && Number(v) >= 0 && Number(v) <= 100 ? null : 'From 0 to 100.')}
          onSave={(v) => save(`reserve ${v} % of ${name}`, { setAsidePercent: Number(v) })}
        />
        {isBetweenSwitches ? (
          <OneField
            label="LAG (link aggregation)"
            value={link.joinedAs ?? ''}
            check={(v) => (v.length > 80 ? 'At most 80 characters.' : null)}
            onSave={(v) =>
              save(v.trim() ? `join ${name} as ${v.trim()}` : `take ${name} apart`, { joinedAs: v.trim() || null })
            }
          />
        ) : null}
      </div>
      {isBetweenSwitches ? <Carried plan={plan} link={link} onSave={save} /> : null}
      <div className="mt-3">
        <Button
          onClick={() => void commitWithUndo(`remove the cable ${name}`, [{ kind: 'remove-link', linkId: link.id }])}
        >
          Remove the cable
        </Button>
      </div>
    </>
  );
}

/** Which VLANs pass between two switches. */
function Carried({
  plan,
  link,
  onSave,
}: {
  plan: Plan;
  link: Cabling;
  onSave: (title: string, change: Partial<Cabling>) => void;
}) {
  const subnets = [...plan.subnets.values()].sort((a, b) => (a.vlan ?? 0) - (b.vlan ?? 0));
  const name = linkName(plan, link);
  const carried = new Set(link.carries ?? subnets.map((s) => s.id));
  return (
    <fieldset className="mt-3">
      <legend className="text-[12px] text-dim">VLANs that pass</legend>
      <label className="flex items-center gap-2 py-0.5">
        <input
          type="checkbox"
          checked={link.carries === null}
          onChange={(e) =>
            onSave(e.target.checked ? `let all VLANs pass ${name}` : `choose the VLANs of ${name}`, {
              carries: e.target.checked ? null : subnets.map((s) => s.id),
            })
          }
          className="accent-jade"
        />
        all of them
      </label>
      {link.carries === null
        ? null
        : subnets.map((s) => (
            <label key={s.id} className="flex items-center gap-2 py-0.5">
              <input
                type="checkbox"
                checked={carried.has(s.id)}
                onChange={(e) => {
                  const next = e.target.checked ? [...carried, s.id] : [...carried].filter((id) => id !== s.id);
                  onSave(`${e.target.checked ? 'let' : 'stop'} ${s.name} ${e.target.checked ? 'pass' : 'on'} ${name}`, {
                    carries: next,
                  });
                }}
                className="accent-jade"
              />
              <span className="flex-1 truncate">{s.name}</span>
              <span className="font-mono text-[12px] text-dim">{s.vlan ?? ''}</span>
            </label>
          ))}
    </fieldset>
  );
}
