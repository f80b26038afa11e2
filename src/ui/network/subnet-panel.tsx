import { byName } from '@/core/plan/name-order';
import { freeAddressIn } from '@/core/edits/free';
import { useState } from 'react';
import { formatAddress, isHostOfBlock, parseAddress, parseCidr } from '@/core/network/address';
import { subnetFigures, subnetUse } from '@/core/network/subnets';
import type { Plan } from '@/core/plan/plan';
import { isRouted } from '@/core/network/interfaces-table';
import { SUBNET_ROLES, type Subnet } from '@/core/network/subnets-table';
import { FindingSection } from '@/ui/frame/finding-list';
import { Button, Labelled, PanelHeading, SelectField } from '@/ui/parts/controls';
import { deviceName, interfaceName } from '@/ui/parts/names';
import { ROLE_WORDS } from '@/ui/parts/network-words';
import { OneField } from '@/ui/parts/one-field';
import { commit, commitWithUndo } from '@/ui/session/actions';
import { usePlan, type View } from '@/ui/session/plan-store';
import type { AdapterInField } from '@/field/live/network-topics';
import { UseStrip } from './bars';
import { subnetIdsOf } from './network-rows';
import { ResizeDialog } from './resize-dialog';

/** One subnet: what it is, who has which address, and how it may be split or resized. */
export function SubnetPanel({ plan, view, subnet }: { plan: Plan; view: View; subnet: Subnet }) {
  const use = subnetUse(plan, subnet);
  const figures = use.block ? subnetFigures(use.block) : null;
  const findings = view.findings.filter((f) => subnetIdsOf(f).includes(subnet.id));
  const [isResizing, setResizing] = useState(false);
  const holders = [...plan.interfaces.values()]
    .flatMap((own) => [...own.values()].filter((i) => i.subnetId === subnet.id))
    .map((i) => ({ ...i, order: i.address === null ? Infinity : (parseAddress(i.address) ?? Infinity) }))
    .sort((a, b) => a.order - b.order);
  const isUsed = holders.length > 0;
  const nextFree = freeAddressIn(plan, subnet.id);
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{subnet.name}</h2>
      <p className="text-dim">
        {ROLE_WORDS[subnet.role]}
        {subnet.vlan === null ? '' : `, VLAN ${subnet.vlan}`}, {subnet.cidr}
      </p>
      <FindingSection findings={findings} plan={plan} />
      <PanelHeading>Addresses</PanelHeading>
      <UseStrip use={use} name={subnet.name} wide />
      <p className="mt-1 text-[12px] text-dim">
        {use.held.length} used of {use.usable}, {use.free} free{nextFree === null ? '' : `, next ${nextFree}`}
        {figures ? (
          <>
            ; hosts <span className="font-mono">{figures.first}</span> to{' '}
            <span className="font-mono">{figures.last}</span>
          </>
        ) : null}
        {subnet.dhcp ? '; hatched: DHCP' : ''}
      </p>
      <SeenBy subnetId={subnet.id} />
      <SubnetSettings plan={plan} subnet={subnet} />
      <div className="mt-3 flex flex-wrap gap-2">
        <Button onClick={() => setResizing(true)}>Resize or split …</Button>
        <Button
          disabled={isUsed}
          title={isUsed ? 'Interfaces still use it' : undefined}
          onClick={() => void commitWithUndo(`remove ${subnet.name}`, [{ kind: 'remove-subnet', subnetId: subnet.id }])}
        >
          Remove
        </Button>
      </div>
      <PanelHeading>Members</PanelHeading>
      {holders.length === 0 ? <p className="text-dim">None yet.</p> : null}
      <ul>
        {holders.map((i) => (
          <li key={`${i.deviceId}/${i.name}`} className="grid grid-cols-[104px_1fr_auto] gap-2">
            <span className="font-mono text-[12px]">{i.address ?? 'none'}</span>
            <span className="truncate">{deviceName(plan, i.deviceId)}</span>
            <span className="text-[12px] text-dim">{isRouted(i) ? 'router' : interfaceName(i.name)}</span>
          </li>
        ))}
      </ul>
      {isResizing ? <ResizeDialog plan={plan} subnet={subnet} onClose={() => setResizing(false)} /> : null}
    </>
  );
}

/** The adapters of the server that reach its hosts; nothing while no devices are followed. */
function SeenBy({ subnetId }: { subnetId: string }) {
  const adapters = usePlan((s) => s.field.adapters.get(''));
  if (adapters === undefined) return null;
  const own = adapters.filter((a) => a.subnetIds.includes(subnetId));
  const words = (a: AdapterInField) => `${a.name} (${a.address})${a.isUsed ? '' : ', which is not used'}`;
  return (
    <p className="mt-1 text-[12px] text-dim">
      {own.length === 0
        ? 'No adapter of the server is in it: reached through a router, if at all.'
        : `Seen by ${own.map(words).join(' and ')} of the server.`}
    </p>
  );
}

function SubnetSettings({ plan, subnet }: { plan: Plan; subnet: Subnet }) {
  const block = parseCidr(subnet.cidr);
  const save = (title: string, change: Partial<Subnet>) =>
    void commit(title, [{ kind: 'put-subnet', subnet: { ...subnet, ...change } }]);
  const host = (text: string) => {
    if (text.trim() === '') return null;
    const address = parseAddress(text.trim());
    return address !== null && block !== null && isHostOfBlock(address, block) ? null : `A host of ${subnet.cidr}.`;
  };
  const dhcpText = subnet.dhcp === null ? '' : `${subnet.dhcp.first} - ${subnet.dhcp.last}`;
  const readRange = (text: string) => {
    const [first, last, ...more] = text.split(/\s*(?:-|–|to)\s*/).map((t) => t.trim());
    if (first === undefined || last === undefined || more.length > 0) return null;
    const a = parseAddress(first);
    const b = parseAddress(last);
    return a === null || b === null || b < a || host(first) !== null || host(last) !== null ? null : { first, last };
  };
  const switches = [...plan.devices.values()]
    .filter((d) => plan.models.get(d.modelId)?.switching?.querier)
    .sort(byName);
  const routers = [...plan.interfaces.values()]
    .flatMap((own) => [...own.values()])
    .filter((i) => i.subnetId === subnet.id && isRouted(i) && i.address !== null);
  return (
    <>
      <PanelHeading>Settings</PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <OneField
          label="Name"
          id="subnet-name"
          value={subnet.name}
          check={(v) =>
            v.trim() === '' ? 'A subnet needs a name.' : v.length > 200 ? 'At most 200 characters.' : null
          }
          onSave={(v) => save(`rename ${subnet.name} to ${v.trim()}`, { name: v.trim() })}
        />
        <OneField
          label="VLAN"
          mono
          value={subnet.vlan === null ? '' : String(subnet.vlan)}
          check={(v) =>
            v.trim() === '' || (Number.isInteger(Number(v)) && Number(v) >= 1 && Number(v) <= 4094)
              ? null
              : 'From 1 to 4094, or empty.'
          }
          onSave={(v) => save(`put ${subnet.name} into VLAN ${v}`, { vlan: v.trim() === '' ? null : Number(v) })}
        />
        <Labelled label="Role">
          <SelectField
            value={subnet.role}
            onChange={(e) => save(`change the role of ${subnet.name}`, { role: e.target.value as Subnet['role'] })}
          >
            {SUBNET_ROLES.map((r) => (
              <option key={r} value={r}>
                {ROLE_WORDS[r]}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <Labelled label="Querier">
          <SelectField
            value={subnet.querierIds[0] ?? ''}
            onChange={(e) =>
              save(`choose the querier of ${subnet.name}`, { querierIds: e.target.value ? [e.target.value] : [] })
            }
          >
            <option value="">none</option>
            {switches.map((d) => (
              <option key={d.id} value={d.id}>
                {d.name}
              </option>
            ))}
          </SelectField>
        </Labelled>
        <OneField
          label="Gateway"
          mono
          value={subnet.gateway ?? ''}
          check={host}
          onSave={(v) => save(`set the gateway of ${subnet.name}`, { gateway: v.trim() || null })}
        />
        <p className="self-end pb-1.5 text-[12px] text-dim">
          {routers.length === 0
            ? 'No router has an address here.'
            : `Router at ${routers.map((r) => r.address).join(', ')}.`}
        </p>
        <div className="col-span-2">
          <OneField
            label="DHCP range, first – last"
            mono
            value={dhcpText}
            check={(v) =>
              v.trim() === '' || readRange(v) !== null
                ? null
                : `Two hosts of ${subnet.cidr}, such as ${block ? `${formatAddress(block.base + 1)} - ${formatAddress(block.base + 2)}` : ''}.`
            }
            onSave={(v) =>
              save(`set the DHCP range of ${subnet.name}`, { dhcp: v.trim() === '' ? null : readRange(v) })
            }
          />
        </div>
      </div>
      {subnet.querierIds.length > 1 ? (
        <p className="mt-1 text-ochre">
          {subnet.querierIds.map((id) => deviceName(plan, id)).join(' and ')} are all queriers.
        </p>
      ) : null}
    </>
  );
}
