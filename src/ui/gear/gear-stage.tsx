'use client';

import { parseAsString, useQueryState } from 'nuqs';
import { useMemo, useState } from 'react';
import { StageLayout } from '@/ui/frame/stage-layout';
import { AddDevices } from '@/ui/parts/add-devices';
import { CableMany } from '@/ui/parts/cable-many';
import { ActionMenu } from '@/ui/parts/menu';
import { useMarks } from '@/ui/parts/marks';
import { pasteDeviceNames } from '@/ui/parts/sheet-pastes';
import { isInPlace } from '@/ui/parts/place';
import { Button, Key } from '@/ui/parts/controls';
import { count } from '@/ui/parts/units';
import { usePlan } from '@/ui/session/plan-store';
import { filtered, searchFor } from '@/ui/parts/find-text';
import { liveWords } from '@/ui/parts/loss-words';
import { useShown } from '@/ui/session/shown';
import { askToImport } from '@/ui/import/asked';
import { ChannelLabels } from './channel-labels';
import { CopyDialog } from './copy-dialog';
import { FoundNodes } from './found-nodes';
import { fillDownOverDevices, removeDevices } from './gear-actions';
import { GearPanel } from './gear-panel';
import { gearRows, type GearRow } from './gear-rows';
import { DEVICES } from './gear-sheet';
import { Sheet } from '@/ui/parts/sheet';
import { useSorted } from '@/ui/parts/sorted-sheet';
import { ModelsView } from './workshop/models-view';
import { FilterField } from '@/ui/parts/filter-field';
import { StageBar, useStageKeys } from '@/ui/frame/stage-bar';
import { EmptyStage } from '@/ui/frame/empty-stage';

/** The boxes and their limits. */
export function GearStage() {
  const shown = useShown();
  const field = usePlan((s) => s.field);
  const [place] = useQueryState('place');
  const [text, setText] = useQueryState('find', parseAsString.withDefault(''));
  // A link may open the dialog; whether it is open is not kept in the address bar, which follows a moment late.
  const [asked, setAsked] = useQueryState('add');
  const [open, setOpen] = useQueryState('device');
  const [cursorId, setCursorId] = useQueryState('sel');
  const [found, setFound] = useQueryState('found');
  const [models, setModels] = useQueryState('models');
  const [dialog, setDialog] = useState<'add' | 'find' | 'copy' | 'cable' | null>(null);
  const close = () => setDialog(null);

  const unbound = useMemo(() => [...field.unknown.values()].flat(), [field.unknown]);

  const passing = useMemo(() => {
    if (shown === null) return [];
    const inPlace = gearRows(shown.plan, shown.view, field).filter((r) =>
      isInPlace(shown.plan, r.device.placeId, place),
    );
    const textOf = (r: GearRow) =>
      `${r.device.name} ${r.model?.name ?? ''} ${r.place} ${r.addressA} ${r.addressB} ${r.control} ${liveWords(r.live)}`;
    return filtered(inPlace, searchFor(text), textOf);
  }, [shown, field, text, place]);
  const sorted = useSorted(DEVICES, passing);
  const { rows } = sorted;
  const keys = useMemo(() => rows.map((r) => r.device.id), [rows]);
  const { selected: selectedIds, select, mark } = useMarks(keys, cursorId, (id) => void setCursorId(id));

  const hasSelection = selectedIds.size > 0;
  // N begins a new device from anywhere on the stage, C cables what is selected.
  useStageKeys(
    models === null ? { n: () => setDialog('add'), c: hasSelection ? () => setDialog('cable') : undefined } : {},
  );
  const closeAdd = () => {
    close();
    if (asked !== null) void setAsked(null);
  };

  if (shown === null) return null;
  const { plan, view } = shown;
  if (models !== null) return <ModelsView plan={plan} onClose={() => void setModels(null)} />;
  const openDevice = open === null ? undefined : plan.devices.get(open);
  const chosen = [...selectedIds].filter((id) => plan.devices.has(id));

  const remove = () => removeDevices(plan, chosen, () => mark([]));
  const inOrder = rows.map((r) => r.device.id).filter((id) => selectedIds.has(id));
  const fillDown = () => fillDownOverDevices(plan, inOrder);
  const rename = () => document.querySelector<HTMLInputElement>('#device-name')?.select();

  return (
    <StageLayout
      panel={
        <GearPanel
          plan={plan}
          view={view}
          deviceId={openDevice?.id ?? chosen[chosen.length - 1] ?? null}
          selectedIds={openDevice === undefined ? chosen : []}
        />
      }
    >
      {plan.devices.size === 0 ? (
        <EmptyStage
          title="Gear: the boxes and their limits"
          begin={
            <>
              <Button tone="main" autoFocus onClick={() => setDialog('add')}>
                Add the first devices <Key>N</Key>
              </Button>
              {unbound.length > 0 ? (
                <Button onClick={() => setDialog('find')}>{count(unbound.length, 'node')} found in the field …</Button>
              ) : null}
            </>
          }
        >
          Consoles, stage boxes, amplifiers, processors: every device of the plan is listed here, with what it can send
          and receive. A device may stay on paper until the real one is found.
        </EmptyStage>
      ) : openDevice ? (
        <ChannelLabels plan={plan} view={view} device={openDevice} onClose={() => void setOpen(null)} />
      ) : (
        <>
          <StageBar>
            <FilterField
              what="devices"
              title="By name, model, place or address"
              value={text}
              onChange={(next) => void setText(next || null)}
              className="w-[124px]"
            />
            {unbound.length > 0 ? (
              <button
                type="button"
                onClick={() => setDialog('find')}
                className="truncate rounded border border-violet px-2 py-0.5 text-violet focus-visible:outline-2 focus-visible:outline-jade"
              >
                {count(unbound.length, 'node')} not in the plan
              </button>
            ) : null}
            <span className="ml-auto whitespace-nowrap">
              {chosen.length > 0 ? `${chosen.length} selected` : count(rows.length, 'device')}
            </span>
            <Button disabled={chosen.length !== 1} onClick={() => void setOpen(chosen[0] ?? null)}>
              Channels <Key>⏎</Key>
            </Button>
            <Button disabled={chosen.length === 0} onClick={remove}>
              Remove <Key>Del</Key>
            </Button>
            <Button onClick={() => void setModels('1')}>Models</Button>
            <ActionMenu
              label="More …"
              lists={[
                [
                  { words: 'Copy …', isPossible: chosen.length === 1, run: () => setDialog('copy') },
                  { words: 'Rename', keys: 'F2', isPossible: chosen.length === 1, run: rename },
                  { words: 'Fill down', keys: 'Ctrl D', isPossible: chosen.length > 1, run: fillDown },
                  { words: 'Cable …', keys: 'C', isPossible: chosen.length > 0, run: () => setDialog('cable') },
                ],
                [{ words: 'Import from NMOS resources …', run: () => askToImport('nmos') }],
              ]}
            />
            <Button tone="main" onClick={() => setDialog('add')}>
              Add <Key>N</Key>
            </Button>
          </StageBar>
          {rows.length === 0 ? (
            <p className="p-6 text-dim">No device passes this filter.</p>
          ) : (
            <Sheet
              {...DEVICES}
              {...sorted}
              selectedKeys={selectedIds}
              cursorKey={cursorId}
              onSelect={select}
              onOpen={(id) => void setOpen(id)}
              onRemove={remove}
              onRename={rename}
              onFillDown={fillDown}
              paste={pasteDeviceNames()}
            />
          )}
        </>
      )}
      {dialog === 'add' || asked !== null ? (
        <AddDevices
          plan={plan}
          onClose={closeAdd}
          onAdded={(ids) => {
            closeAdd();
            mark(ids);
            void setCursorId(ids[0] ?? null);
          }}
        />
      ) : null}
      {dialog === 'find' || found !== null ? (
        <FoundNodes
          plan={plan}
          onClose={() => {
            close();
            if (found !== null) void setFound(null);
          }}
        />
      ) : null}
      {dialog === 'cable' && chosen.length > 0 ? <CableMany plan={plan} deviceIds={inOrder} onClose={close} /> : null}
      {dialog === 'copy' && chosen[0] !== undefined ? <CopyDialog deviceId={chosen[0]} onClose={close} /> : null}
    </StageLayout>
  );
}
