import { isIn } from '@/core/findings/areas';
import Link from 'next/link';
import { useState } from 'react';
import { interfacesOf, type Plan } from '@/core/plan/plan';
import { isRouted } from '@/core/network/interfaces-table';
import type { Device } from '@/core/plan/devices-table';
import type { Link as Cabling } from '@/core/network/links-table';
import { cablesOf, farEnd, freeSockets } from '@/core/plan/sockets';
import type { Model } from '@/core/models/models-table';
import { FindingSection } from '@/ui/frame/finding-list';
import { LiveLine } from '@/ui/frame/live-line';
import { Button, Labelled, PanelHeading, SelectField } from '@/ui/parts/controls';
import { endName } from '@/ui/parts/network-words';
import { interfaceName } from '@/ui/parts/names';
import { bits, percent } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';
import { usePlan, type View } from '@/ui/session/plan-store';
import { PlugDialog } from './plug-dialog';
import { SwitchParts } from './switch-parts';
import { PlaceOptions } from '@/ui/parts/place-options';

/** A device as the network sees it: sockets and what is in them, addresses, and for a switch its settings and power. */
export function DevicePanel({ plan, view, device }: { plan: Plan; view: View; device: Device }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const model = plan.models.get(device.modelId);
  const findings = view.findings.filter((f) => isIn('network', f) && f.deviceIds.includes(device.id));
  const place = plan.places.get(device.placeId ?? '')?.name;
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{device.name}</h2>
      <p className="text-dim">
        {model?.name}
        {place ? `, ${place}` : ''}
      </p>
      <LiveLine plan={plan} deviceId={device.id} />
      <FindingSection findings={findings} plan={plan} />
      <div className="mt-2">
        <Labelled label="Place">
          <SelectField
            value={device.placeId ?? ''}
            onChange={(e) =>
              void commit(`move ${device.name}`, [
                { kind: 'change-device', deviceId: device.id, change: { placeId: e.target.value || null } },
              ])
            }
          >
            <option value="">Unassigned</option>
            <PlaceOptions places={plan.places.values()} />
          </SelectField>
        </Labelled>
      </div>
      <p className="mt-2">
        <Link
          href={`/plans/${planId}/clocks?lost=device:${device.id}`}
          className="underline underline-offset-2 focus-visible:outline-2 focus-visible:outline-jade"
        >
          Failure drill: what if it fails?
        </Link>
      </p>
      {model?.switching ? <SwitchParts plan={plan} view={view} device={device} model={model} /> : null}
      <Addresses plan={plan} device={device} />
      {model ? <Sockets plan={plan} view={view} device={device} model={model} /> : null}
    </>
  );
}

function Addresses({ plan, device }: { plan: Plan; device: Device }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const own = [...interfacesOf(plan, device.id).values()].sort((a, b) => (a.name < b.name ? -1 : 1));
  if (own.length === 0) return null;
  return (
    <>
      <PanelHeading>Addresses</PanelHeading>
      <ul>
        {own.map((i) => (
          <li key={i.name} className="grid grid-cols-[64px_1fr_auto] gap-2">
            <span className="text-dim">{isRouted(i) ? 'routes' : interfaceName(i.name)}</span>
            <span className="font-mono text-[12px]">{i.address ?? 'none'}</span>
            {i.subnetId ? (
              <Link
                href={`/plans/${planId}/network?view=subnets&sel=subnet:${i.subnetId}`}
                className="truncate text-dim underline-offset-2 hover:underline focus-visible:outline-2 focus-visible:outline-jade"
              >
                {plan.subnets.get(i.subnetId)?.name}
              </Link>
            ) : (
              <span />
            )}
          </li>
        ))}
      </ul>
    </>
  );
}

function Sockets({ plan, view, device, model }: { plan: Plan; view: View; device: Device; model: Model }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const [plugging, setPlugging] = useState<string | null>(null);
  const [isAll, setAll] = useState(false);
  const linksAt = cablesOf(plan, device.id);
  const indexOf = new Map(view.network.linkIds.map((id, n) => [id, n]));
  const busiest = (link: Cabling) => {
    const n = indexOf.get(link.id);
    if (n === undefined) return 0;
    const usable = view.network.usableBitsPerSecond[n] ?? 0;
    const bits = Math.max(view.network.bitsPerSecond[2 * n] ?? 0, view.network.bitsPerSecond[2 * n + 1] ?? 0);
    return usable > 0 ? bits / usable : 0;
  };
  const free = freeSockets(plan, device.id);
  const shown = isAll ? model.ports : model.ports.filter((p) => linksAt.has(p.name) || !model.switching);
  return (
    <>
      <PanelHeading>
        Ports{model.switching ? `: ${model.ports.length - free.length} of ${model.ports.length} in use` : ''}
      </PanelHeading>
      <ul>
        {shown.map((port) => {
          const links = linksAt.get(port.name) ?? [];
          return (
            <li
              key={port.name}
              className="grid grid-cols-[72px_1fr_auto] items-center gap-2 border-t border-line/60 py-0.5"
            >
              <span className="truncate text-dim" title={`${port.name}, ${bits(port.bitsPerSecond)}`}>
                {port.name}
              </span>
              {links.length === 0 ? (
                <span className="text-dim">free</span>
              ) : (
                <span className="flex flex-col">
                  {links.map((link) => {
                    const far = farEnd(link, device.id, port.name);
                    return (
                      <Link
                        key={link.id}
                        href={`/plans/${planId}/network?view=cables&sel=link:${link.id}`}
                        className="truncate underline-offset-2 hover:underline focus-visible:outline-2 focus-visible:outline-jade"
                      >
                        {endName(plan, far)}
                      </Link>
                    );
                  })}
                </span>
              )}
              {links.length === 0 ? (
                <button
                  type="button"
                  aria-label={`Plug something into ${port.name}`}
                  onClick={() => setPlugging(port.name)}
                  className="rounded border border-line px-1.5 text-[12px] hover:border-dim focus-visible:outline-2 focus-visible:outline-jade"
                >
                  Plug …
                </button>
              ) : (
                <span className="font-mono text-[12px] whitespace-nowrap text-dim">
                  {percent(Math.max(...links.map(busiest)))}
                </span>
              )}
            </li>
          );
        })}
      </ul>
      {shown.length < model.ports.length ? (
        <Button tone="quiet" onClick={() => setAll(true)}>
          {model.ports.length - shown.length} free ports …
        </Button>
      ) : null}
      {plugging !== null ? (
        <PlugDialog plan={plan} from={{ deviceId: device.id, port: plugging }} onClose={() => setPlugging(null)} />
      ) : null}
    </>
  );
}
