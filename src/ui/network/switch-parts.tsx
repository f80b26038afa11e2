import { useState } from 'react';
import { switchSheetOf, switchSheetText } from '@/core/formats/switch-sheet';
import { parseAddress } from '@/core/network/address';
import { fitnessOf } from '@/core/network/fitness';
import { powerOf } from '@/core/network/power';
import { switchSettingsOf } from '@/core/network/switch-settings';
import type { Plan } from '@/core/plan/plan';
import type { Device } from '@/core/plan/devices-table';
import type { SwitchSettings } from '@/core/network/switches-table';
import type { Model } from '@/core/models/models-table';
import { Age } from '@/ui/parts/age';
import { saveText } from '@/ui/parts/save-text';
import { wholeFrom } from '@/ui/parts/checks';
import { Tick } from '@/ui/parts/choice';
import { Button, Labelled, Modal, PanelHeading, SelectField } from '@/ui/parts/controls';
import { CRITERION_WORDS, VERDICT_WORDS } from '@/ui/parts/network-words';
import { deviceName } from '@/ui/parts/names';
import { OneField } from '@/ui/parts/one-field';
import { BudgetBar } from '@/ui/parts/signs';
import { failureWords } from '@/ui/parts/send-words';
import { commit } from '@/ui/session/actions';
import { usePlan, type View } from '@/ui/session/plan-store';

/** What a switch has beyond its sockets: fitness, power, what it tells, its settings. */
export function SwitchParts({ plan, view, device, model }: { plan: Plan; view: View; device: Device; model: Model }) {
  const groups = view.network.groupsAtSwitch.get(device.id) ?? 0;
  const fitness = fitnessOf(model, groups);
  const power = powerOf(plan).get(device.id);
  const settings = switchSettingsOf(plan, device.id);
  const [isSheetOpen, setSheetOpen] = useState(false);
  if (fitness === null || settings === null || !model.switching) return null;
  const budgetW = power?.budgetW ?? null;
  const left = power && budgetW !== null ? Math.round((budgetW - power.reservedW) * 10) / 10 : 0;
  return (
    <>
      {power && (budgetW !== 0 || power.ports.length > 0) ? (
        <>
          <PanelHeading>Power over Ethernet</PanelHeading>
          <p className="flex items-center justify-between gap-2">
            {budgetW === null ? null : <BudgetBar used={power.reservedW} limit={budgetW} label="Watts reserved" />}
            <span className={`font-mono text-[12px] ${left < 0 ? 'text-madder' : 'text-dim'}`}>
              {budgetW === null
                ? `${power.reservedW} W reserved of not known`
                : `${power.reservedW} of ${budgetW} W, ${left < 0 ? `${-left} over` : `${left} left`}`}
            </span>
          </p>
          <details className="mt-1">
            <summary className="cursor-pointer text-dim focus-visible:outline-2 focus-visible:outline-jade">
              Port by port
            </summary>
            <ul className="text-[12px]">
              {power.ports.map((p) => (
                <li key={p.linkId} className="grid grid-cols-[60px_1fr_auto] gap-2">
                  <span className="text-dim">{p.port}</span>
                  <span className="truncate">{deviceName(plan, p.deviceId)}</span>
                  <span className="font-mono text-dim">
                    class {p.takesClass}, {p.reservedW} W
                  </span>
                </li>
              ))}
            </ul>
          </details>
        </>
      ) : null}
      <SwitchInField switchId={device.id} />
      <PanelHeading>The model is {VERDICT_WORDS[fitness.verdict]}</PanelHeading>
      <ul className="text-[12px]">
        {fitness.lines.map((line) => (
          <li key={line.criterion} className="grid grid-cols-[1fr_auto] gap-2">
            <span className={line.verdict === 'unfit' ? 'text-madder' : line.verdict === 'limited' ? 'text-ochre' : ''}>
              {CRITERION_WORDS[line.criterion]}
            </span>
            <span className="font-mono text-dim">
              {line.figure === null ? (line.verdict === 'fit' ? 'yes' : 'no') : `${line.figure}, wanted ${line.wanted}`}
            </span>
          </li>
        ))}
      </ul>
      <PanelHeading>Settings</PanelHeading>
      <SwitchSwitches plan={plan} device={device} settings={settings} model={model} />
      <div className="mt-2">
        <Button onClick={() => setSheetOpen(true)}>Settings sheet …</Button>
      </div>
      {isSheetOpen ? <SheetDialog plan={plan} device={device} onClose={() => setSheetOpen(false)} /> : null}
    </>
  );
}

/** Whether the switch tells about its sockets, and how old its last word is. */
function SwitchInField({ switchId }: { switchId: string }) {
  const state = usePlan((s) => s.field.switches.get(switchId));
  if (state === undefined) return null;
  return (
    <>
      <PanelHeading>In the field</PanelHeading>
      {state.failure === null ? (
        <p>
          Link states reported, <Age at={state.readAt ?? 0} />.
        </p>
      ) : (
        <p className="text-ochre">
          Not reported: {failureWords(state.failure)}. {state.readAt === null ? null : <Age at={state.readAt} />}
        </p>
      )}
    </>
  );
}

function SwitchSwitches({
  plan,
  device,
  settings,
  model,
}: {
  plan: Plan;
  device: Device;
  settings: SwitchSettings;
  model: Model;
}) {
  const can = model.switching;
  if (!can) return null;
  const save = (title: string, change: Partial<SwitchSettings>) =>
    void commit(`${title} on ${device.name}`, [{ kind: 'put-switch', settings: { ...settings, ...change } }]);
  const box = (label: string, is: boolean, isPossible: boolean, change: (is: boolean) => Partial<SwitchSettings>) => (
    <Tick
      label={label}
      is={is}
      isPossible={isPossible}
      onChange={(next) => save(`turn ${label} ${next ? 'on' : 'off'}`, change(next))}
    />
  );
  const queueOf = (dscp: number) => settings.queueByDscp.find((q) => q.dscp === dscp)?.queue ?? 0;
  const setQueue = (what: string, dscp: number) => (text: string) =>
    save(`put ${what} into queue ${text}`, {
      queueByDscp: [...settings.queueByDscp.filter((q) => q.dscp !== dscp), { dscp, queue: Number(text) }],
    });
  const check = wholeFrom(0, can.queues - 1);
  return (
    <>
      {box('IGMP snooping', settings.snooping, can.snooping, (snooping) => ({ snooping }))}
      {box('DiffServ trust', settings.trustsDscp, can.dscpTrust, (trustsDscp) => ({ trustsDscp }))}
      {box('spanning tree', settings.spanningTree, can.spanningTree, (spanningTree) => ({ spanningTree }))}
      {box('energy saving', settings.energySaving, can.energySaving === 'switchable', (energySaving) => ({
        energySaving,
      }))}
      {can.routing === 'multicast'
        ? box('multicast routing', settings.multicastRouting, true, (multicastRouting) => ({ multicastRouting }))
        : null}
      <div className="mt-1.5 grid grid-cols-2 gap-2">
        <OneChoice
          label="Spanning trees"
          value={settings.spanningTrees}
          of={TREE_CHOICES}
          onSave={(spanningTrees) => save(`set spanning trees ${TREE_CHOICES[spanningTrees]}`, { spanningTrees })}
        />
        <OneChoice
          label="IGMP version"
          value={settings.igmpVersion === 2 ? 'v2' : 'v3'}
          of={{ v2: '2', v3: '3' }}
          onSave={(v) => save(`set IGMP version ${v.slice(1)}`, { igmpVersion: v === 'v2' ? 2 : 3 })}
        />
        {can.routing === 'multicast' ? (
          <>
            <OneChoice
              label="PIM mode"
              value={settings.pimMode ?? 'unstated'}
              of={PIM_CHOICES}
              onSave={(mode) =>
                save(`set PIM mode ${PIM_CHOICES[mode]}`, { pimMode: mode === 'unstated' ? null : mode })
              }
            />
            <OneField
              label="Rendezvous point"
              mono
              value={settings.rendezvousPoint ?? ''}
              check={(v) => (v.trim() === '' || parseAddress(v.trim()) !== null ? null : 'An IPv4 address.')}
              onSave={(v) => save('set the rendezvous point', { rendezvousPoint: v.trim() === '' ? null : v.trim() })}
            />
          </>
        ) : null}
      </div>
      <div className="mt-1.5 grid grid-cols-3 gap-2">
        <OneField
          label="Clock queue"
          mono
          value={String(queueOf(plan.settings.ptpDscp))}
          check={check}
          onSave={setQueue('clock', plan.settings.ptpDscp)}
        />
        <OneField
          label="Media queue"
          mono
          value={String(queueOf(plan.settings.mediaDscp))}
          check={check}
          onSave={setQueue('media', plan.settings.mediaDscp)}
        />
        <OneField
          label="Bridge priority"
          mono
          value={String(settings.bridgePriority)}
          check={(v) =>
            Number(v) % 4096 === 0 && Number(v) >= 0 && Number(v) <= 61_440 && v.trim() !== ''
              ? null
              : '0 to 61440 in steps of 4096.'
          }
          onSave={(v) => save(`set bridge priority ${v}`, { bridgePriority: Number(v) })}
        />
      </div>
    </>
  );
}

const TREE_CHOICES = { one: 'one for all VLANs', several: 'several (MSTP)', 'per-vlan': 'one per VLAN' } as const;

const PIM_CHOICES = {
  unstated: 'not stated',
  sparse: 'sparse',
  'source-specific': 'source-specific',
  dense: 'dense',
} as const;

/** One setting of several, by its words. */
function OneChoice<T extends string>({
  label,
  value,
  of,
  onSave,
}: {
  label: string;
  value: T;
  of: Readonly<Record<T, string>>;
  onSave: (value: T) => void;
}) {
  return (
    <Labelled label={label}>
      <SelectField className="w-full" value={value} onChange={(e) => onSave(e.target.value as T)}>
        {(Object.keys(of) as T[]).map((v) => (
          <option key={v} value={v}>
            {of[v]}
          </option>
        ))}
      </SelectField>
    </Labelled>
  );
}

function SheetDialog({ plan, device, onClose }: { plan: Plan; device: Device; onClose: () => void }) {
  const sheet = switchSheetOf(plan, device.id);
  const text = sheet ? switchSheetText(sheet) : '';
  const save = () => saveText(`${device.id}.txt`, 'text/plain', text);
  return (
    <Modal title={`Settings of ${device.name}`} onClose={onClose} wide>
      <pre
        tabIndex={0}
        role="region"
        aria-label={`Settings of ${device.name}`}
        className="max-h-[56vh] overflow-auto rounded border border-line bg-bg p-3 font-mono text-[12px] leading-[18px] focus-visible:outline-2 focus-visible:outline-jade"
      >
        {text}
      </pre>
      <div className="mt-3 flex justify-end gap-2">
        <Button onClick={() => void navigator.clipboard.writeText(text)}>Copy</Button>
        <Button onClick={save}>Save as text</Button>
        <Button tone="main" onClick={onClose}>
          Close
        </Button>
      </div>
    </Modal>
  );
}
