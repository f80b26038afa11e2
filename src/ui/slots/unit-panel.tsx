import { isIn } from '@/core/findings/areas';
import Link from 'next/link';
import { labelOf, modelOf, type Plan } from '@/core/plan/plan';
import { channelsOfChoice, reordered, type BusState, type UnitOnBus } from '@/core/slots/slot-bus';
import { FindingSection } from '@/ui/frame/finding-list';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { blockText, UNHEARD_WORDS } from '@/ui/parts/slot-words';
import { channelName, deviceName } from '@/ui/parts/names';
import { commit, commitWithUndo } from '@/ui/session/actions';
import { usePlan, type View } from '@/ui/session/plan-store';
import { Selectors } from './selectors';

/** One unit of a slot bus: how its selectors stand, what goes into every slot and what comes out of it. */
export function UnitPanel({ plan, view, state, unit }: { plan: Plan; view: View; state: BusState; unit: UnitOnBus }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const { device, ability } = unit;
  const at = state.units.indexOf(unit);
  const findings = view.findings.filter((f) => isIn('slots', f) && f.deviceIds.includes(device.id));
  const heardBy = (slot: number) =>
    state.listened
      .filter((h) => h.slot === slot && h.talkers.some((t) => t.deviceId === device.id))
      .map((h) => `${deviceName(plan, h.deviceId)} ${h.channel}`);
  const move = (to: number) =>
    void commit(
      `move ${device.name} to place ${to + 1} of ${state.bus.name}`,
      reordered(state.units, device.id, to).map((u) => ({ kind: 'put-slot-unit', unit: u })),
    );
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{device.name}</h2>
      <p className="text-dim">
        {modelOf(plan, device.id)?.name}, number {at + 1} of {state.units.length} on {state.bus.name}
      </p>
      <FindingSection findings={findings} plan={plan} />
      {unit.unit.talks.map((block, choice) => (
        <section key={`talks ${choice}`}>
          <PanelHeading>
            Talks{unit.unit.talks.length > 1 ? `, selectors ${choice + 1}` : ''}:{' '}
            {block === null ? 'off' : `block ${blockText(ability, block)}`}
          </PanelHeading>
          <Selectors ability={ability} block={block} label={`Talks ${choice + 1}`} isLarge />
          <table className="w-full text-left">
            <thead className="text-[12px] text-faint">
              <tr>
                <th className="w-9 font-normal">Slot</th>
                <th className="font-normal">Takes</th>
                <th className="font-normal">Listeners</th>
              </tr>
            </thead>
            <tbody>
              {channelsOfChoice(ability, block, choice).map(([slot, channel]) => (
                <tr key={slot} className="align-top">
                  <td className="font-mono text-[12px]">{slot}</td>
                  <td className="pr-2">{channelName(plan, device.id, 'send', channel)}</td>
                  <td className="text-dim">{heardBy(slot).join(', ') || 'nobody'}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      ))}
      {unit.unit.hears.map((block, choice) => (
        <section key={`hears ${choice}`}>
          <PanelHeading>
            Listens{unit.unit.hears.length > 1 ? `, selectors ${choice + 1}` : ''}:{' '}
            {block === null ? 'off' : `block ${blockText(ability, block)}`}
          </PanelHeading>
          <Selectors ability={ability} block={block} label={`Listens ${choice + 1}`} isLarge />
          <table className="w-full text-left">
            <thead className="text-[12px] text-faint">
              <tr>
                <th className="w-9 font-normal">Slot</th>
                <th className="font-normal">Listens to</th>
                <th className="font-normal">Output</th>
              </tr>
            </thead>
            <tbody>
              {state.listened
                .filter((h) => h.deviceId === device.id && h.choice === choice)
                .map((h) => (
                  <tr key={h.slot} className="align-top">
                    <td className="font-mono text-[12px]">{h.slot}</td>
                    <td className="pr-2">
                      {h.talkers
                        .map(
                          (t) =>
                            `${deviceName(plan, t.deviceId)} · ${channelName(plan, t.deviceId, 'send', t.channel)}`,
                        )
                        .join(' and ')}
                      {h.why === null ? null : (
                        <span className={`block ${h.why === 'nobody' ? 'text-ochre' : 'text-madder'}`}>
                          {UNHEARD_WORDS[h.why]}
                        </span>
                      )}
                    </td>
                    <td className="text-dim">
                      {labelOf(plan, device.id, 'receive', h.channel) ?? `output ${h.channel}`}
                    </td>
                  </tr>
                ))}
            </tbody>
          </table>
        </section>
      ))}
      <PanelHeading>From its model</PanelHeading>
      <p className="text-dim">
        {ability.slotCount} slots in blocks of {ability.blockSize}
        {ability.hearBlocks > 0 ? `, listens up to slot ${ability.highestHeard}` : ''}
      </p>
      <div className="mt-3 flex flex-wrap gap-2">
        <Button disabled={at <= 0} onClick={() => move(at - 1)}>
          Towards the start
        </Button>
        <Button disabled={at >= state.units.length - 1} onClick={() => move(at + 1)}>
          Towards the end
        </Button>
        <Button
          onClick={() =>
            void commitWithUndo(`take ${device.name} off ${state.bus.name}`, [
              { kind: 'remove-slot-unit', deviceId: device.id },
            ])
          }
        >
          Take off the bus
        </Button>
      </div>
      <p className="mt-3">
        <Link
          className="text-jade underline focus-visible:outline-2 focus-visible:outline-jade"
          href={`/plans/${planId}/gear?device=${device.id}`}
        >
          Label its channels
        </Link>
      </p>
    </>
  );
}
