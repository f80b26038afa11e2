import { isIn } from '@/core/findings/areas';
import { FindingList } from '@/ui/frame/finding-list';
import { LossesNow } from '@/ui/frame/losses-list';
import { wholeFrom } from '@/ui/parts/checks';
import { Labelled, PanelHeading, SelectField } from '@/ui/parts/controls';
import { OneField } from '@/ui/parts/one-field';
import { bits, count, percent } from '@/ui/parts/units';
import { linkName, usableOf } from '@/ui/parts/network-words';
import { commit } from '@/ui/session/actions';
import type { View } from '@/ui/session/plan-store';
import type { Finding } from '@/core/findings/finding';
import { parseCidr } from '@/core/network/address';
import type { Plan } from '@/core/plan/plan';
import type { PlanSettings } from '@/core/plan/settings-table';
import { ManyDevices } from '@/ui/parts/many-devices';
import { SeveralHeading } from '@/ui/parts/several-devices';
import { DevicePanel } from './device-panel';
import { LinkPanel } from './link-panel';
import type { NetworkSelection } from './selection';
import { ManyLinks } from './many-links';
import { PlacePanel } from './place-panel';
import { StreamPanel } from './stream-panel';
import { SubnetPanel } from './subnet-panel';

/** The numbers behind whatever is selected on the network stage. */
export function NetworkPanel({
  plan,
  view,
  selection,
  selectedIds,
}: {
  plan: Plan;
  view: View;
  selection: NetworkSelection | null;
  /** All that is selected in the sheet; of several the settings are set together. */
  selectedIds: readonly string[];
}) {
  if (selectedIds.length > 1 && selection?.kind === 'link') {
    const links = selectedIds.flatMap((id) => plan.links.get(id) ?? []);
    if (links.length > 1) return <ManyLinks plan={plan} view={view} links={links} />;
  }
  if (selectedIds.length > 1 && selection?.kind === 'device') {
    const devices = selectedIds.flatMap((id) => plan.devices.get(id) ?? []);
    if (devices.length > 1) {
      return (
        <>
          <SeveralHeading devices={devices} what="switch" />
          <ManyDevices plan={plan} devices={devices} />
        </>
      );
    }
  }
  switch (selection?.kind) {
    case 'link': {
      const link = plan.links.get(selection.id);
      if (link) return <LinkPanel key={link.id} plan={plan} view={view} link={link} />;
      break;
    }
    case 'device': {
      const device = plan.devices.get(selection.id);
      if (device) return <DevicePanel key={device.id} plan={plan} view={view} device={device} />;
      break;
    }
    case 'subnet': {
      const subnet = plan.subnets.get(selection.id);
      if (subnet) return <SubnetPanel key={subnet.id} plan={plan} view={view} subnet={subnet} />;
      break;
    }
    case 'place': {
      const place = plan.places.get(selection.id);
      if (place) return <PlacePanel key={place.id} plan={plan} view={view} place={place} />;
      break;
    }
    case 'stream':
      return <StreamPanel key={selection.id} plan={plan} view={view} streamId={selection.id} />;
    default:
  }
  return <Whole plan={plan} view={view} />;
}

const ORDER = { refusal: 0, caution: 1, note: 2 } as const;
/** Refusals first; among equals as they were found. */
const gravest = (findings: readonly Finding[]) => [...findings].sort((a, b) => ORDER[a.severity] - ORDER[b.severity]);

function Whole({ plan, view }: { plan: Plan; view: View }) {
  const findings = gravest(view.findings.filter((f) => isIn('network', f)));
  const { busiest } = view.totals;
  const busiestLink = busiest ? plan.links.get(busiest.linkId) : undefined;
  const switches = view.network.groupsAtSwitch.size;
  return (
    <>
      <h2 className="pr-7 text-[14px] font-semibold">Network of this plan</h2>
      <p className="text-dim">
        {count(switches, 'switch', 'switches')}, {count(plan.links.size, 'cable')}, {count(plan.subnets.size, 'subnet')}
        .
      </p>
      {busiest && busiestLink ? (
        <p className="text-dim">
          Busiest: {linkName(plan, busiestLink)}, {bits(busiest.bitsPerSecond)}: {percent(busiest.share)} of{' '}
          {usableOf(busiestLink)}.
        </p>
      ) : null}
      <LossesNow plan={plan} area="network" />
      <PanelHeading>Findings</PanelHeading>
      {findings.length === 0 ? (
        <p className="text-dim">No findings.</p>
      ) : (
        <FindingList findings={findings} plan={plan} />
      )}
      <PlanNetworkSettings plan={plan} />
    </>
  );
}

function PlanNetworkSettings({ plan }: { plan: Plan }) {
  const { settings } = plan;
  const save = (title: string, change: Partial<Omit<PlanSettings, 'id'>>) =>
    void commit(title, [{ kind: 'change-settings', settings: change }]);
  const pool = (text: string) => {
    const block = parseCidr(text.trim());
    return block !== null && block.base >>> 28 === 0xe ? null : 'A block of multicast groups, such as 239.71.0.0/16.';
  };
  return (
    <>
      <PanelHeading>Rules of the plan</PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <OneField
          label="Load ceiling, %"
          mono
          value={String(settings.loadCeilingPercent)}
          check={wholeFrom(1, 100)}
          onSave={(v) => save(`set the load ceiling to ${v} %`, { loadCeilingPercent: Number(v) })}
        />
        <OneField
          label="Control per link, kb/s"
          mono
          value={String(settings.controlBitsPerSecond / 1000)}
          check={wholeFrom(0, 1_000_000)}
          onSave={(v) => save(`allow ${v} kb/s for control`, { controlBitsPerSecond: Number(v) * 1000 })}
        />
        <OneField
          label="Multicast TTL"
          mono
          value={String(settings.multicastTtl)}
          check={wholeFrom(1, 255)}
          onSave={(v) => save(`set the time to live to ${v}`, { multicastTtl: Number(v) })}
        />
        <Labelled label="Discovery">
          <SelectField
            value={settings.discovery}
            onChange={(e) =>
              save('change how devices are found', { discovery: e.target.value as PlanSettings['discovery'] })
            }
          >
            <option value="registry">through a registry</option>
            <option value="local">by mDNS and SAP</option>
          </SelectField>
        </Labelled>
        <OneField
          label="DiffServ of clock"
          mono
          value={String(settings.ptpDscp)}
          check={wholeFrom(0, 63)}
          onSave={(v) => save(`mark clock ${v}`, { ptpDscp: Number(v) })}
        />
        <OneField
          label="DiffServ of media"
          mono
          value={String(settings.mediaDscp)}
          check={wholeFrom(0, 63)}
          onSave={(v) => save(`mark media ${v}`, { mediaDscp: Number(v) })}
        />
        <OneField
          label="Groups of leg A from"
          mono
          value={settings.poolA}
          check={pool}
          onSave={(v) => save(`take groups of leg A from ${v.trim()}`, { poolA: v.trim() })}
        />
        <OneField
          label="Groups of leg B from"
          mono
          value={settings.poolB}
          check={pool}
          onSave={(v) => save(`take groups of leg B from ${v.trim()}`, { poolB: v.trim() })}
        />
      </div>
    </>
  );
}
