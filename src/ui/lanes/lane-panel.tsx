import { isIn } from '@/core/findings/areas';
import { budgetOfFinding } from '@/core/reckon/spenders';
import { modelOf, type Plan } from '@/core/plan/plan';
import type { LaneEvidence } from '@/field/lane-state';
import { FindingList, FixButtons, Spent } from '@/ui/frame/finding-list';
import { LossesNow } from '@/ui/frame/losses-list';
import { PanelHeading } from '@/ui/parts/controls';
import { Age } from '@/ui/parts/age';
import { Packed } from '@/ui/parts/packed';
import { Thread } from '@/ui/parts/thread';
import { bits, channelRuns, count, kHz, packetTime, time } from '@/ui/parts/units';
import { cautionWords, CHECK_WORDS, longReason, STATE_WORDS } from '@/ui/parts/lane-words';
import { channelName, deviceName } from '@/ui/parts/names';
import { liveWords } from '@/ui/parts/loss-words';
import { Working } from '@/ui/parts/working';
import { deviceLive, needsLook } from '@/ui/session/losses';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { TimedSends } from './timed-sends';
import { usePlan, type View } from '@/ui/session/plan-store';
import { evidenceOf, stateOf } from '@/ui/session/shown';
import { useSelection } from './selection';

/** The reckoning of what is selected: verdict, working, path and what the devices say of one lane; counts for many. */
export function LanePanel({ plan, view, isPreview }: { plan: Plan; view: View; isPreview: boolean }) {
  const { selected, cursor } = useSelection();
  const [deviceId, channel] = splitKey(cursor);
  const lane = view.lanes.get(deviceId)?.get(channel);
  if (cursor === null || !plan.devices.has(deviceId)) return <Overview plan={plan} view={view} />;
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">
        {lane
          ? `${deviceName(plan, lane.senderDeviceId)} · ${channelName(plan, lane.senderDeviceId, 'send', lane.senderChannel)}`
          : 'Free channel'}
      </h2>
      <p className="text-dim">
        {lane ? 'to ' : ''}
        {deviceName(plan, deviceId)} · {channelName(plan, deviceId, 'receive', channel)}
      </p>
      {selected.size > 1 ? <Many selected={selected} view={view} /> : null}
      {lane ? (
        <OneLane key={cursor} deviceId={deviceId} channel={channel} plan={plan} view={view} isPreview={isPreview} />
      ) : (
        <p className="mt-3 text-dim">Nothing feeds this channel. Press Enter to feed the selection.</p>
      )}
    </>
  );
}

function splitKey(key: string | null): [string, number] {
  const colon = (key ?? '').lastIndexOf(':');
  return colon < 0 ? ['', 0] : [(key as string).slice(0, colon), Number((key as string).slice(colon + 1))];
}

function Overview({ plan, view }: { plan: Plan; view: View }) {
  const findings = view.findings.filter((f) => isIn('lanes', f));
  return (
    <>
      <h2 className="pr-7 text-[14px] font-semibold">Lanes of this plan</h2>
      <p className="text-dim">
        {count(view.totals.channels.used, 'channel')} fed by {count(view.totals.streams, 'stream')},{' '}
        {bits(view.totals.sentBitsPerSecond)} sent.
      </p>
      <TimedSends />
      <LossesNow plan={plan} area="lanes" />
      <PanelHeading>Findings</PanelHeading>
      {findings.length === 0 ? (
        <p className="text-dim">No findings.</p>
      ) : (
        <FindingList findings={findings} plan={plan} />
      )}
    </>
  );
}

function Many({ selected, view }: { selected: ReadonlySet<string>; view: View }) {
  const field = usePlan((s) => s.field);
  const counts = new Map<string, number>();
  for (const key of selected) {
    const [deviceId, channel] = splitKey(key);
    const lane = view.lanes.get(deviceId)?.get(channel);
    const word = lane ? STATE_WORDS[stateOf(lane, evidenceOf(field, deviceId, channel))] : 'free';
    counts.set(word, (counts.get(word) ?? 0) + 1);
  }
  return (
    <p className="mt-2 border-y border-line py-1.5">
      {count(selected.size, 'channel')} selected: {[...counts].map(([word, n]) => `${n} ${word}`).join(', ')}. Below is
      the one at the cursor.
    </p>
  );
}

function OneLane({
  deviceId,
  channel,
  plan,
  view,
  isPreview,
}: {
  deviceId: string;
  channel: number;
  plan: Plan;
  view: View;
  isPreview: boolean;
}) {
  const field = usePlan((s) => s.field);
  const hasField = usePlan((s) => s.hasField);
  const detail = useWorkerAnswer({
    question: 'explain',
    about: [deviceId, channel, view, isPreview],
    ask: (worker) => worker.explain(deviceId, channel),
    failed: 'The lane could not be explained',
  });
  const lane = view.lanes.get(deviceId)?.get(channel);
  if (detail === null || lane === undefined) return null;
  const evidence = evidenceOf(field, deviceId, channel);
  const { stream } = detail;
  return (
    <>
      {isPreview || !hasField ? null : (
        <p className="mt-3 flex flex-wrap items-center gap-x-2">
          <span className="text-dim">In the field:</span>
          <Thread state={stateOf(lane, evidence)} withWord />
          {[...new Set([lane.senderDeviceId, deviceId])].map((id) => {
            const live = deviceLive(plan, field, id);
            return needsLook(live) ? (
              <span key={id} className="text-ochre">
                {deviceName(plan, id)} {liveWords(live)}
              </span>
            ) : null;
          })}
        </p>
      )}
      <PanelHeading>Verdict of the plan</PanelHeading>
      {detail.verdict === 'refused' && detail.reason !== null ? (
        <div className="rounded border border-l-[3px] border-line border-l-madder px-2.5 py-2">
          <b className="font-medium text-madder">Refused.</b>{' '}
          {longReason(plan, detail.reason, lane.senderDeviceId, deviceId)}
          {detail.finding === null || budgetOfFinding(detail.finding) === null ? null : (
            <Spent finding={detail.finding} plan={plan} />
          )}
          {isPreview ? null : <FixButtons fixes={detail.fixes} plan={plan} />}
        </div>
      ) : (
        <>
          <p>
            <b className="font-medium text-jade">Fits.</b> Rate, encoding, packet time, channels, addresses and both
            budgets agree.
          </p>
          {detail.caution ? (
            <div className="mt-1.5 rounded border border-l-[3px] border-line border-l-ochre px-2.5 py-2">
              {cautionWords(plan, detail.caution, lane.senderDeviceId, deviceId)}
              {isPreview ? null : <FixButtons fixes={detail.fixes} plan={plan} />}
            </div>
          ) : null}
        </>
      )}
      {stream === null ? null : (
        <>
          <PanelHeading>
            Stream {stream.streamNumber} of {deviceName(plan, lane.senderDeviceId)}
          </PanelHeading>
          <p>
            <span className="font-mono text-[12px]">
              {stream.width} × {stream.format.encoding} {kHz(stream.format.rateHz)} kHz,{' '}
              {packetTime(stream.format.packetTimeUs)}
            </span>
            <br />
            <span className="text-dim">
              {stream.channels.length === 1 ? 'Channel' : 'Channels'} {channelRuns(stream.channels)};{' '}
              {stream.position === null ? 'no place in it' : `this one is number ${stream.position}`}. Received by{' '}
              {count(stream.receiverDeviceIds.length, 'device')}, here as stream {stream.receiverStreamNumber}.
            </span>
          </p>
          {stream.width > stream.channels.length + 1 ? (
            <p className="text-dim">Its sender reports {stream.width} channels: the loads count that many.</p>
          ) : null}
          <Packed plan={plan} packed={stream.packed} />
          <InOrder plan={plan} senderId={lane.senderDeviceId} receiverId={deviceId} />
          <PanelHeading>
            {detail.verdict === 'refused' ? 'Calculation, if it were carried' : 'Calculation'}
          </PanelHeading>
          <Working terms={stream.sum} />
          {stream.legCount > 1 ? (
            <p className="mt-1 text-[12px] text-dim">Sent on {stream.legCount} legs, this load on each.</p>
          ) : null}
        </>
      )}
      {detail.legs.map((leg) => (
        <section key={leg.leg}>
          <PanelHeading>
            Path, leg {leg.leg} {leg.group ? <span className="font-mono">{leg.group}</span> : null}
          </PanelHeading>
          <p className="text-dim">
            {leg.isRouted ? `${leg.fromSubnet}, routed to ${leg.toSubnet}` : `within ${leg.fromSubnet}`}
          </p>
          {leg.hops === null ? (
            <p className="text-dim">No cables are planned for this leg, so its transit is not counted.</p>
          ) : (
            <ol className="mt-1">
              <Hop name={deviceName(plan, lane.senderDeviceId)} />
              {leg.hops.map((hop, n) => (
                <Hop
                  key={n}
                  name={hop.switchName ?? deviceName(plan, deviceId)}
                  by={`${hop.isRouter ? 'router, ' : ''}${bits(hop.linkBitsPerSecond)}, ${hop.metres} m`}
                  ns={hop.ns}
                  queueNs={hop.queueNs}
                />
              ))}
            </ol>
          )}
          {leg.hops === null ? null : (
            <p className="mt-1 text-[12px] text-dim">
              Behind one packet of every other stream at every port:{' '}
              {time(leg.hops.reduce((sum, h) => sum + h.queueNs, 0))} more in all.
              {leg.isRouted
                ? plan.settings.discovery === 'registry'
                  ? ` The two find each other through the registry: mDNS and SAP stay within a subnet.`
                  : ` mDNS and SAP stay within a subnet: the two do not see each other.`
                : ''}
            </p>
          )}
        </section>
      ))}
      {detail.shared === null ? null : (
        <p className="mt-2 text-dim">
          {detail.shared.switchIds.length + detail.shared.linkIds.length === 0
            ? 'The two legs share no switch and no cable.'
            : `Both legs run through ${detail.shared.switchIds.map((id) => deviceName(plan, id)).join(' and ')}: one failure takes both.`}
        </p>
      )}
      {detail.offset === null ? null : (
        <>
          <PanelHeading>Delay: the link offset and what must fit inside</PanelHeading>
          <Working terms={detail.offset} />
        </>
      )}
      {isPreview ? null : <Evidence evidence={evidence} lane={lane} />}
    </>
  );
}

/** What lies in neither end's channel map, as one of them has none. */
function InOrder({ plan, senderId, receiverId }: { plan: Plan; senderId: string; receiverId: string }) {
  const sends = modelOf(plan, senderId)?.sendOrder ?? null;
  const receives = modelOf(plan, receiverId)?.receiveOrder ?? null;
  if (sends === null && receives === null) return null;
  return (
    <p className="mt-1 text-dim">
      {sends === null ? null : `${deviceName(plan, senderId)} has no channel map: its streams have fixed channels. `}
      {receives === null
        ? null
        : `${deviceName(plan, receiverId)} has no channel map: channels come in the order of the stream.`}
    </p>
  );
}

function Hop({ name, by, ns, queueNs = 0 }: { name: string; by?: string; ns?: number; queueNs?: number }) {
  return (
    <li className="grid grid-cols-[12px_1fr_auto] items-center gap-x-2 leading-[22px]">
      <span aria-hidden="true" className="h-[7px] w-[7px] rounded-full border-[1.5px] border-jade" />
      <span className="truncate" title={by}>
        {name}
        {by ? <span className="text-[12px] text-dim"> · {by}</span> : null}
      </span>
      <span className="font-mono text-[12px] text-dim">{ns === undefined ? '' : `+ ${time(ns)}`}</span>
      {queueNs > 0 ? (
        <span className="col-start-2 col-end-4 -mt-1 text-[12px] leading-4 text-dim">
          queueing, worst case +{time(queueNs)}
        </span>
      ) : null}
    </li>
  );
}

function Evidence({ evidence, lane }: { evidence: LaneEvidence | null; lane: Parameters<typeof stateOf>[0] }) {
  const state = stateOf(lane, evidence);
  return (
    <>
      <PanelHeading>In the field</PanelHeading>
      <p className="flex items-center gap-2">
        <Thread state={state} withWord />
        {evidence?.readAt ? <Age at={evidence.readAt} /> : null}
      </p>
      {evidence === null || evidence.checks.length === 0 ? null : (
        <ul className="mt-1 text-[12px]">
          {evidence.checks.map(({ what, holds }) => (
            <li key={what} className={holds ? 'text-dim' : 'text-ink'}>
              <span className="inline-block w-8 font-mono">{holds ? 'yes' : 'no'}</span>
              {CHECK_WORDS[what]}
            </li>
          ))}
        </ul>
      )}
    </>
  );
}
