'use client';

import { isIn } from '@/core/findings/areas';
import { byName } from '@/core/plan/name-order';
import { parseAsString, useQueryState } from 'nuqs';
import { useEffect, useMemo, useRef, useState } from 'react';
import { writeFittingSheet } from '@/core/formats/fitting-sheet';
import type { Command } from '@/core/plan/commands';
import { modelOf, type Plan } from '@/core/plan/plan';
import { freeId } from '@/core/edits/propose-devices';
import { BUS_SHAPES, type BusShape, type SlotBus } from '@/core/slots/slot-buses-table';
import { busState, newUnit, withBlocksChosen, type BusState } from '@/core/slots/slot-bus';
import { FindingList } from '@/ui/frame/finding-list';
import { LossesNow } from '@/ui/frame/losses-list';
import { StageLayout } from '@/ui/frame/stage-layout';
import { AddDevices } from '@/ui/parts/add-devices';
import { Button, Modal, PanelHeading, SelectField } from '@/ui/parts/controls';
import { ActionMenu } from '@/ui/parts/menu';
import { OneField } from '@/ui/parts/one-field';
import { saveText } from '@/ui/parts/save-text';
import { SHAPE_WORDS } from '@/ui/parts/slot-words';
import { count, kHz } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { commit, commitWithUndo, previewBatch } from '@/ui/session/actions';
import type { View } from '@/ui/session/plan-store';
import { useShown } from '@/ui/session/shown';
import { BlockChoice } from './block-choice';
import { SlotStrip } from './slot-strip';
import { UnitPanel } from './unit-panel';
import { StageBar } from '@/ui/frame/stage-bar';
import { EmptyStage } from '@/ui/frame/empty-stage';

/** Chains and rings of numbered slots: which unit talks and listens where, and how its selectors stand. */
export function SlotsStage() {
  const shown = useShown();
  const [selectedId, setSelectedId] = useQueryState('sel', parseAsString);
  const [adding, setAdding] = useState<string | null>(null);
  const [renaming, setRenaming] = useState<SlotBus | null>(null);
  const plan = shown?.plan;
  const states = useMemo(
    () => (plan === undefined ? [] : [...plan.slotBuses.values()].sort(byName).map((bus) => busState(plan, bus))),
    [plan],
  );
  if (shown === null || plan === undefined) return null;
  const state = states.find((s) => s.units.some((u) => u.device.id === selectedId));
  const unit = state?.units.find((u) => u.device.id === selectedId);
  const select = (id: string | null) => void setSelectedId(id);
  const waiting = unplaced(plan);
  const addBus = () => {
    const id = freeId('bus', plan.slotBuses);
    const name = `Bus ${plan.slotBuses.size + 1}`;
    void commit(`add the slot bus ${name}`, [{ kind: 'put-slot-bus', bus: { id, name, shape: 'chain' } }]);
  };
  const place = (deviceIds: readonly string[], busId: string) => {
    let next = plan;
    const commands = deviceIds.flatMap((id): Command[] => {
      const made = newUnit(next, id, busId);
      if (made === null) return [];
      next = { ...next, slotUnits: new Map([...next.slotUnits, [id, made]]) };
      return [{ kind: 'put-slot-unit', unit: made }];
    });
    const bus = plan.slotBuses.get(busId)?.name ?? busId;
    const what = deviceIds.length === 1 ? deviceName(plan, deviceIds[0] as string) : count(deviceIds.length, 'unit');
    void commit(`put ${what} on ${bus}`, commands).then((isDone) => isDone && select(deviceIds[0] ?? null));
  };

  return (
    <StageLayout
      panel={
        state && unit ? (
          <UnitPanel key={unit.device.id} plan={plan} view={shown.view} state={state} unit={unit} />
        ) : (
          <Overview plan={plan} view={shown.view} states={states} />
        )
      }
    >
      <StageBar>
        <span className="truncate">
          {states.length === 0
            ? 'Slot buses'
            : `${count(states.length, 'bus', 'buses')}, ${count(plan.slotUnits.size, 'unit')}${waiting.length > 0 ? `, ${waiting.length} on no bus` : ''}`}
        </span>
        <Button tone={states.length === 0 ? 'plain' : 'main'} className="ml-auto" onClick={addBus}>
          Add a bus
        </Button>
      </StageBar>
      {states.length === 0 ? (
        <EmptyStage
          title="Slot buses: chains and rings with numbered slots"
          begin={
            <>
              <Button tone="main" autoFocus onClick={addBus}>
                Add the first bus
              </Button>
            </>
          }
        >
          Older and simpler systems carry a fixed number of slots past every unit. A unit is set by selectors on its
          case to a block of slots: one unit may talk on a block, any number may listen. Choose the blocks here; the
          selectors are drawn as the installer sees them.
        </EmptyStage>
      ) : (
        <div className="min-h-0 flex-1 overflow-y-auto" tabIndex={-1}>
          {states.map((s) => (
            <BusSection
              key={s.bus.id}
              plan={plan}
              state={s}
              view={shown.view}
              selectedId={selectedId}
              onSelect={select}
              waiting={waiting}
              onPlace={(id) => place([id], s.bus.id)}
              onAdd={() => setAdding(s.bus.id)}
              onRename={() => setRenaming(s.bus)}
            />
          ))}
        </div>
      )}
      {adding === null ? null : (
        <Adding plan={plan} onClose={() => setAdding(null)} onPlace={(ids) => place(ids, adding)} />
      )}
      {renaming === null ? null : <RenameBus bus={renaming} onClose={() => setRenaming(null)} />}
    </StageLayout>
  );
}

/** New units go onto the bus once the plan has them. */
function Adding({
  plan,
  onClose,
  onPlace,
}: {
  plan: Plan;
  onClose: () => void;
  onPlace: (ids: readonly string[]) => void;
}) {
  const [added, setAdded] = useState<readonly string[] | null>(null);
  const isThere = added !== null && added.every((id) => plan.devices.has(id));
  const isPlaced = useRef(false);
  useEffect(() => {
    if (!isThere || isPlaced.current) return;
    isPlaced.current = true;
    onPlace(added);
    onClose();
  }, [isThere, added, onPlace, onClose]);
  return added === null ? <AddDevices plan={plan} kind="slot-unit" onClose={onClose} onAdded={setAdded} /> : null;
}

function unplaced(plan: Plan): string[] {
  return [...plan.devices.keys()].filter((id) => modelOf(plan, id)?.slots && !plan.slotUnits.has(id));
}

function RenameBus({ bus, onClose }: { bus: SlotBus; onClose: () => void }) {
  return (
    <Modal title={`Rename ${bus.name}`} onClose={onClose}>
      <OneField
        label="Name"
        value={bus.name}
        check={(v) => (v.trim() === '' ? 'A bus needs a name.' : v.length > 200 ? 'At most 200 characters.' : null)}
        onSave={(name) => {
          void commit(`rename ${bus.name} to ${name.trim()}`, [
            { kind: 'put-slot-bus', bus: { ...bus, name: name.trim() } },
          ]);
          onClose();
        }}
      />
      <p className="mt-2 text-[12px] text-dim">Enter saves it, Escape leaves it as it is.</p>
    </Modal>
  );
}

function BusSection({
  plan,
  state,
  view,
  selectedId,
  onSelect,
  waiting,
  onPlace,
  onAdd,
  onRename,
}: {
  plan: Plan;
  state: BusState;
  view: View;
  selectedId: string | null;
  onSelect: (id: string | null) => void;
  waiting: readonly string[];
  onPlace: (id: string) => void;
  onAdd: () => void;
  onRename: () => void;
}) {
  const { bus, units, slotCount, freeSlots } = state;
  const rates = [...new Set(units.map((u) => u.device.rateHz))].map(kHz).join(' and ');
  const isWrong = (id: string) => view.findings.some((f) => isIn('slots', f) && f.deviceIds.includes(id));
  const choose = () => {
    const changed = withBlocksChosen(plan, bus);
    void previewBatch(
      `choose blocks for ${count(changed.length, 'unit')} of ${bus.name}`,
      changed.map((unit) => ({ kind: 'put-slot-unit', unit })),
    );
  };
  const couldChoose = units.some((u) => u.unit.talks.includes(null));
  return (
    <section aria-label={bus.name} className="border-b border-line px-3 pt-2 pb-3">
      <div className="mb-2 flex items-center gap-2">
        <h2 className="truncate text-[14px] font-semibold">{bus.name}</h2>
        <SelectField
          aria-label={`Shape of ${bus.name}`}
          value={bus.shape}
          onChange={(e) => {
            const shape = e.target.value as BusShape;
            void commit(`make ${bus.name} a ${SHAPE_WORDS[shape]}`, [{ kind: 'put-slot-bus', bus: { ...bus, shape } }]);
          }}
        >
          {BUS_SHAPES.map((shape) => (
            <option key={shape} value={shape}>
              {SHAPE_WORDS[shape]}
            </option>
          ))}
        </SelectField>
        <span className="truncate text-dim">
          {units.length === 0
            ? 'no unit yet'
            : `${slotCount - freeSlots} of ${count(slotCount, 'slot')} sending, ${freeSlots} free; ${rates} kHz`}
        </span>
        <span className="ml-auto flex gap-2">
          {waiting.length > 0 ? (
            <SelectField aria-label={`Put a unit on ${bus.name}`} value="" onChange={(e) => onPlace(e.target.value)}>
              <option value="">Put on …</option>
              {waiting.map((id) => (
                <option key={id} value={id}>
                  {deviceName(plan, id)}
                </option>
              ))}
            </SelectField>
          ) : null}
          <ActionMenu
            label="More …"
            lists={[
              [
                { words: 'Choose free blocks', isPossible: couldChoose, run: choose },
                {
                  words: 'Export the installation sheet',
                  isPossible: units.length > 0,
                  run: () => saveText(`${bus.id}-installation.csv`, 'text/csv', writeFittingSheet(plan, state)),
                },
              ],
              [
                { words: 'Rename …', run: onRename },
                {
                  words: 'Remove the bus',
                  run: () => void commitWithUndo(`remove ${bus.name}`, [{ kind: 'remove-slot-bus', busId: bus.id }]),
                },
              ],
            ]}
          />
          <Button onClick={onAdd}>New units …</Button>
        </span>
      </div>
      {units.length === 0 ? (
        <p className="py-3 text-dim">
          Units are listed in the order of the cable. Slot count, block size and the highest slot that a unit receives
          are figures of its model.
        </p>
      ) : (
        <>
          <SlotStrip plan={plan} state={state} selectedId={selectedId} onSelect={onSelect} />
          <p className="mb-1 text-[12px] text-faint">
            Numbers are positions along the cable. A bar below a slot: a unit listens.
          </p>
          <table className="w-full text-left">
            <thead className="text-[12px] text-faint">
              <tr className="border-b border-line">
                <th className="w-8 pr-2 text-right font-normal">No.</th>
                <th className="font-normal">Unit</th>
                <th className="font-normal">Place</th>
                <th className="w-[234px] font-normal">Talks on</th>
                <th className="w-[234px] font-normal">Listens to</th>
              </tr>
            </thead>
            <tbody>
              {units.map((unit, n) => (
                <tr
                  key={unit.device.id}
                  className={`border-b border-line/60 align-top ${selectedId === unit.device.id ? 'bg-selected' : ''}`}
                >
                  <td className="pt-2 pr-2 text-right font-mono text-[12px] text-dim">{n + 1}</td>
                  <td className="py-1">
                    <button
                      type="button"
                      aria-pressed={selectedId === unit.device.id}
                      onClick={() => onSelect(selectedId === unit.device.id ? null : unit.device.id)}
                      className="h-7 text-left hover:underline focus-visible:outline-2 focus-visible:outline-jade"
                    >
                      {unit.device.name}
                      {isWrong(unit.device.id) ? <span className="text-madder"> · see why</span> : null}
                    </button>
                  </td>
                  <td className="py-2 pr-2 text-dim">{plan.places.get(unit.device.placeId ?? '')?.name ?? ''}</td>
                  {(['talks', 'hears'] as const).map((way) => (
                    <td key={way} className="py-1 pr-3">
                      <span className="flex flex-col gap-1">
                        {unit.unit[way].map((_, choice) => (
                          <BlockChoice key={choice} plan={plan} state={state} unit={unit} way={way} choice={choice} />
                        ))}
                        {unit.unit[way].length === 0 ? <span className="pt-1 text-faint">–</span> : null}
                      </span>
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </section>
  );
}

function Overview({ plan, view, states }: { plan: Plan; view: View; states: readonly BusState[] }) {
  const findings = view.findings.filter((f) => isIn('slots', f));
  return (
    <>
      <h2 className="pr-7 text-[14px] font-semibold">Slot buses of this plan</h2>
      <p className="text-dim">
        {states.length === 0
          ? 'There is none.'
          : 'Select a unit to see its selectors, and what goes into and comes out of every slot.'}
      </p>
      <LossesNow plan={plan} area="slots" />
      {states.length === 0 ? null : (
        <>
          <PanelHeading>Findings</PanelHeading>
          {findings.length === 0 ? (
            <p className="text-dim">No findings.</p>
          ) : (
            <FindingList findings={findings} plan={plan} />
          )}
          <PanelHeading>Budget</PanelHeading>
          <ul>
            {states.map((s) => (
              <li key={s.bus.id} className="flex justify-between gap-2">
                <span className="truncate">{s.bus.name}</span>
                <span className="font-mono text-[12px] whitespace-nowrap text-dim">
                  {s.slotCount - s.freeSlots} of {s.slotCount}, {s.freeSlots} left
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}
