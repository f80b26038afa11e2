import { parseAsBoolean, parseAsString, parseAsStringLiteral, useQueryState } from 'nuqs';
import type { ComponentProps } from 'react';
import type { Model } from '@/core/models/models-table';
import type { Device } from '@/core/plan/devices-table';
import type { Plan } from '@/core/plan/plan';
import { askToImport } from '@/ui/import/asked';
import { Button, CheckField, Key } from '@/ui/parts/controls';
import { FilterField } from '@/ui/parts/filter-field';
import { ActionMenu } from '@/ui/parts/menu';
import { PickOne } from '@/ui/parts/pick-one';
import { ViewTabs } from '@/ui/parts/view-tabs';

const PATCH_VIEWS = ['patch', 'work'] as const;
const VIEW_TITLES = { patch: 'Patch', work: 'Work list' } as const;

/** The filters and the view of the stage, kept in the address bar. */
export function usePatchFilters() {
  const [text, setText] = useQueryState('find', parseAsString.withDefault(''));
  const [viewName, setViewName] = useQueryState('view', parseAsStringLiteral(PATCH_VIEWS).withDefault('patch'));
  const [allDevices, setAllDevices] = useQueryState('all', parseAsBoolean.withDefault(false));
  const [openOnly, setOpenOnly] = useQueryState('open', parseAsBoolean.withDefault(false));
  const [onlyInUse, setOnlyInUse] = useQueryState('used', parseAsBoolean.withDefault(false));
  return {
    text,
    setText,
    viewName,
    setViewName,
    allDevices,
    setAllDevices,
    openOnly,
    setOpenOnly,
    onlyInUse,
    setOnlyInUse,
    showWorkList: () => void setViewName('work'),
    showAll: () => {
      void setText(null);
      void setOnlyInUse(null);
    },
  };
}

/** Which device is shown and how much of it, and what can be done with the selected channels. @param said how many those are */
export function PatchStageBar({
  plan,
  devices,
  deviceId,
  filters,
  said,
  isPatchable,
  actions,
  onDevice,
  onClear,
  onPatch,
}: {
  plan: Plan;
  devices: readonly { device: Device; model: Model }[];
  deviceId: string;
  filters: ReturnType<typeof usePatchFilters>;
  said: string;
  isPatchable: boolean;
  actions: ComponentProps<typeof ActionMenu>['lists'];
  onDevice: (id: string) => void;
  onClear: () => void;
  onPatch: () => void;
}) {
  const { text, viewName, allDevices, openOnly, onlyInUse } = filters;
  return (
    <div className="flex h-12 shrink-0 items-center gap-2 border-b border-line px-3 text-dim max-md:overflow-x-auto max-md:*:shrink-0">
      <ViewTabs
        label="Views of the device patch"
        views={PATCH_VIEWS}
        titles={VIEW_TITLES}
        value={viewName}
        onChoose={(v) => void filters.setViewName(v)}
      />
      <div className="w-[150px] shrink-0 [&_label]:sr-only">
        <PickOne
          label="Device"
          value={deviceId}
          options={devices.map(({ device, model: m }) => ({
            id: device.id,
            words: device.name,
            detail: plan.places.get(device.placeId ?? '')?.name ?? '',
            also: m.name,
          }))}
          onPick={onDevice}
        />
      </div>
      {viewName === 'work' ? (
        <>
          <CheckField
            label="all devices"
            isChecked={allDevices}
            onSet={(is) => void filters.setAllDevices(is || null)}
            className="whitespace-nowrap"
          />
          <CheckField
            label="open only"
            isChecked={openOnly}
            onSet={(is) => void filters.setOpenOnly(is || null)}
            className="whitespace-nowrap"
          />
          <Button className="ml-auto" onClick={() => window.print()}>
            Print …
          </Button>
        </>
      ) : (
        <>
          <FilterField
            what="channels"
            value={text}
            onChange={(next) => void filters.setText(next || null)}
            className="w-[96px]"
          />
          <CheckField
            label="in use only"
            isChecked={onlyInUse}
            onSet={(is) => void filters.setOnlyInUse(is || null)}
            className="whitespace-nowrap"
          />
          <span className="ml-auto" />
          <span className="sr-only" aria-live="polite">
            {said}
          </span>
          <ActionMenu
            label="More …"
            lists={[
              ...actions,
              [
                { words: 'Import or export the input list …', run: () => askToImport('socket-list') },
                { words: 'Import or export device patches …', run: () => askToImport('device-patch') },
              ],
            ]}
          />
          <Button onClick={onClear} disabled={!isPatchable}>
            Clear <Key>Del</Key>
          </Button>
          <Button tone="main" onClick={onPatch} disabled={!isPatchable}>
            Patch from <Key>⏎</Key>
          </Button>
        </>
      )}
    </div>
  );
}
