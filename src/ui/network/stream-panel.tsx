import { isReservedGroup, parseAddress } from '@/core/network/address';
import type { Plan } from '@/core/plan/plan';
import type { GroupChoice } from '@/core/streams/group-choices-table';
import { FindingSection } from '@/ui/frame/finding-list';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { deviceName } from '@/ui/parts/names';
import { OneField } from '@/ui/parts/one-field';
import { Packed } from '@/ui/parts/packed';
import { count, packetTime } from '@/ui/parts/units';
import { Working } from '@/ui/parts/working';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { commit } from '@/ui/session/actions';
import { type View } from '@/ui/session/plan-store';
import { saveSdp } from '@/ui/session/save-sdp';
import { streamIdsOf } from './network-rows';

/** One stream: its sum, its groups (from the pools, or by hand), who hears it. */
export function StreamPanel({ plan, view, streamId }: { plan: Plan; view: View; streamId: string }) {
  const streams = useWorkerAnswer({
    question: 'streams',
    about: [view],
    ask: (worker) => worker.streams(),
    failed: 'The stream could not be looked up',
  });
  const stream = streams?.find((s) => s.id === streamId);
  if (streams === null) return null;
  if (stream === undefined) return <p className="text-dim">This stream is not sent in this plan.</p>;
  const findings = view.findings.filter((f) => streamIdsOf(f).includes(streamId));
  const sender = deviceName(plan, stream.senderDeviceId);
  const choice: GroupChoice = plan.groupChoices.get(stream.senderDeviceId)?.get(stream.streamNumber) ?? {
    senderDeviceId: stream.senderDeviceId,
    streamNumber: stream.streamNumber,
    groupA: null,
    groupB: null,
  };
  const choose = (leg: 'groupA' | 'groupB', text: string) => {
    const next = { ...choice, [leg]: text.trim() || null };
    const isNone = next.groupA === null && next.groupB === null;
    const { senderDeviceId, streamNumber } = stream;
    void commit(
      isNone
        ? `take groups of ${sender} S${streamNumber} from the pools`
        : `choose a group for ${sender} S${streamNumber}`,
      isNone
        ? [{ kind: 'remove-group-choice', senderDeviceId, streamNumber }]
        : [{ kind: 'put-group-choice', choice: next }],
    );
  };
  const check = (text: string) => {
    if (text.trim() === '') return null;
    const group = parseAddress(text.trim());
    if (group === null || group >>> 28 !== 0xe) return 'A multicast group, such as 239.71.4.2.';
    return isReservedGroup(group) ? 'Shares its Ethernet address with a reserved group.' : null;
  };
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">
        Stream {stream.streamNumber} of {sender}
      </h2>
      <p className="text-dim">
        {stream.width} × {stream.format.encoding} {stream.format.rateHz / 1000} kHz,{' '}
        {packetTime(stream.format.packetTimeUs)}
      </p>
      <Packed plan={plan} packed={stream.packed} />
      <FindingSection findings={findings} plan={plan} />
      <PanelHeading>Receivers</PanelHeading>
      {stream.isUnicast ? (
        <p className="text-dim">
          To one receiver: <span className="font-mono text-ink">{stream.groupA ?? stream.groupB}</span>. The sender
          sends a copy to each.
        </p>
      ) : (
        <>
          <p className="font-mono text-[12px]">
            A {stream.groupA ?? 'none'}
            <br />B {stream.groupB ?? 'none'}
          </p>
          <p className="mt-1 mb-1.5 text-[12px] text-dim">
            Port {plan.settings.rtpPort}. From the pools, unless a group is chosen here:
          </p>
          <div className="grid grid-cols-2 gap-2">
            <OneField
              label="Leg A, chosen"
              mono
              value={choice.groupA ?? ''}
              check={check}
              onSave={(v) => choose('groupA', v)}
            />
            <OneField
              label="Leg B, chosen"
              mono
              value={choice.groupB ?? ''}
              check={check}
              onSave={(v) => choose('groupB', v)}
            />
          </div>
        </>
      )}
      <div className="mt-2">
        <Button
          onClick={() =>
            void commit(
              plan.devices.get(stream.senderDeviceId)?.sendsUnicast
                ? `send multicast from ${sender}`
                : `send unicast from ${sender}`,
              [
                {
                  kind: 'change-device',
                  deviceId: stream.senderDeviceId,
                  change: { sendsUnicast: !plan.devices.get(stream.senderDeviceId)?.sendsUnicast },
                },
              ],
            )
          }
        >
          {plan.devices.get(stream.senderDeviceId)?.sendsUnicast
            ? `Send multicast from ${sender}`
            : `Send unicast from ${sender}, one copy per receiver`}
        </Button>
      </div>
      <div className="mt-2">
        <Button onClick={() => void saveSdp(streamId)}>Export SDP</Button>
      </div>
      <PanelHeading>Calculation</PanelHeading>
      <Working terms={stream.sum} />
      <PanelHeading>Received by {count(stream.receiverIds.length, 'device')}</PanelHeading>
      <ul>
        {stream.receiverIds.map((id) => (
          <li key={id} className="truncate">
            {deviceName(plan, id)}
          </li>
        ))}
      </ul>
      <p className="mt-1 text-dim">It uses {count(stream.links, 'cable')}, all legs together.</p>
    </>
  );
}
