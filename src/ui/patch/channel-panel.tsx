import { isIn } from '@/core/findings/areas';
import { endsOf } from '@/core/findings/ends-of';
import { sameValue } from '@/core/plan/same-value';
import type { SignalEnd } from '@/core/signal/signal-end';
import type { Terminal } from '@/core/signal/terminals';
import type { Plan } from '@/core/plan/plan';
import { FindingList } from '@/ui/frame/finding-list';
import { PanelHeading } from '@/ui/parts/controls';
import { misfitWords, terminalChannel } from '@/ui/parts/signal-words';
import { deviceName } from '@/ui/parts/names';
import type { View } from '@/ui/session/plan-store';
import type { PatchChannel } from '@/workers/patch-view';
import { ChannelSettingsForm } from './channel-settings';
import { FedFrom } from './fed-from';
import { FollowList } from './follow-list';
import { namesOf } from './patch-rows';
import { RadioSection } from './radio-figures';
import { SideTrafficSection } from './side-traffic';

/** One channel of a device: what is plugged in, how it is set, what feeds it, and the way of its sound. */
export function ChannelPanel({
  plan,
  view,
  end,
  terminal,
  channel,
  isPreview,
  onOpen,
}: {
  plan: Plan;
  view: View;
  end: SignalEnd;
  terminal: Terminal;
  channel: PatchChannel;
  isPreview: boolean;
  onOpen: (end: SignalEnd) => void;
}) {
  const [name, other] = namesOf(terminal, channel);
  const findings = view.findings.filter((f) => isIn('patch', f) && endsOf(f).some((e) => sameValue(e, end)));
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{name ?? terminalChannel(plan, end)}</h2>
      <p className="text-dim">
        {deviceName(plan, end.deviceId)} · {terminalChannel(plan, end)}
        {other === null ? '' : ` · ${other}`}
      </p>
      {findings.length > 0 ? (
        <>
          <PanelHeading>Findings</PanelHeading>
          <FindingList findings={findings} plan={plan} />
        </>
      ) : channel.misfits.length > 0 ? (
        <p className="mt-2 text-ochre">{channel.misfits.map(misfitWords).join('; ')}</p>
      ) : null}
      {isPreview ? null : (
        <ChannelSettingsForm
          key={`${end.terminalId}:${end.channel}`}
          plan={plan}
          end={end}
          terminal={terminal}
          channel={channel}
        />
      )}
      <RadioSection plan={plan} end={end} radio={channel.radio} />
      <FedFrom plan={plan} end={end} terminal={terminal} channel={channel} isPreview={isPreview} onOpen={onOpen} />
      <SideTrafficSection plan={plan} view={view} end={end} terminal={terminal} isPreview={isPreview} />
      <PanelHeading>Follow the signal</PanelHeading>
      <FollowList
        key={`follow ${end.terminalId}:${end.channel}`}
        plan={plan}
        view={view}
        start={end}
        usual={terminal.direction === 'out' ? 'back' : 'forward'}
        onOpen={onOpen}
      />
    </>
  );
}
