'use client';

import { lazy, Suspense, useMemo, useState } from 'react';
import type { Command } from '@/core/plan/commands';
import { StageLayout } from '@/ui/frame/stage-layout';
import { useStageViews } from '@/ui/frame/stage-views';
import { Button, Key } from '@/ui/parts/controls';
import { linkName } from '@/ui/parts/network-words';
import { count } from '@/ui/parts/units';
import { NoRows, ViewTabs } from '@/ui/parts/view-tabs';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { commitWithUndo } from '@/ui/session/actions';
import { type View } from '@/ui/session/plan-store';
import { saveSdp } from '@/ui/session/save-sdp';
import { useShown } from '@/ui/session/shown';
import { askToImport } from '@/ui/import/asked';
import type { StreamView } from '@/workers/reckon-view';
import { NetworkDialogs, type NetworkDialog } from './network-dialogs';
import { NetworkPanel } from './network-panel';
import { cableRows, streamRows, subnetRows, switchRows } from './network-rows';
import { NETWORK_KINDS } from './selection';
import { pasteDeviceNames, pasteSubnetNames } from '@/ui/parts/sheet-pastes';
import { cablesSheet, STREAMS, SUBNETS, SWITCHES } from './sheets';
import { SortedSheet } from '@/ui/parts/sorted-sheet';
import { FilterField } from '@/ui/parts/filter-field';
import { StageBar, useStageKeys } from '@/ui/frame/stage-bar';
import { EmptyStage } from '@/ui/frame/empty-stage';

const Drawing = lazy(() => import('./drawing').then((m) => ({ default: m.Drawing })));

const KIND_OF_VIEW = {
  drawing: 'device',
  cables: 'link',
  subnets: 'subnet',
  switches: 'device',
  streams: 'stream',
} as const;
const VIEW_TITLES: Readonly<Record<keyof typeof KIND_OF_VIEW, string>> = {
  drawing: 'Drawing',
  cables: 'Cables',
  subnets: 'Subnets',
  switches: 'Switches',
  streams: 'Streams',
};

/** What is plugged into what, who has which address, and whether it will hold. */
export function NetworkStage() {
  const shown = useShown();
  const stage = useStageViews(KIND_OF_VIEW, NETWORK_KINDS);
  const { name, views, kind, selection, selected, search, filter, place, sheet, choose, goTo, mark } = stage;
  const [dialog, setDialog] = useState<NetworkDialog | null>(null);
  const ceiling = shown?.plan.settings.loadCeilingPercent ?? 0;
  const cables = useMemo(() => cablesSheet(ceiling), [ceiling]);
  const streams = useStreams(shown?.view ?? null, name === 'streams');

  const rows = useMemo(() => {
    if (shown === null) return null;
    const { plan, view } = shown;
    return {
      cables: name === 'cables' ? cableRows(plan, view, search, place) : [],
      subnets: name === 'subnets' ? subnetRows(plan, view, search) : [],
      switches: name === 'switches' ? switchRows(plan, view, search, place) : [],
      streams: name === 'streams' ? streamRows(plan, view, streams, search, place) : [],
    };
  }, [shown, name, search, place, streams]);

  // N begins a new cable, or a new subnet where subnets stand.
  useStageKeys({
    n: () => {
      if (name === 'subnets') setDialog({ is: 'subnet' });
      else setDialog({ is: 'cable', from: selection?.kind === 'device' ? selection.id : '', to: null });
    },
  });

  if (shown === null || rows === null) return null;
  const { plan, view } = shown;
  const chosenLinks = kind === 'link' ? [...selected].filter((id) => plan.links.has(id)) : [];
  const removeLinks = () => {
    if (chosenLinks.length === 0) return;
    const commands: Command[] = chosenLinks.map((linkId) => ({ kind: 'remove-link', linkId }));
    const only = plan.links.get(chosenLinks[0] as string);
    const title =
      chosenLinks.length === 1 && only
        ? `remove the cable ${linkName(plan, only)}`
        : `remove ${count(chosenLinks.length, 'cable')}`;
    void commitWithUndo(title, commands).then((isDone) => isDone && mark([]));
  };
  const selectedDevice = selection?.kind === 'device' ? selection.id : null;
  const isEmpty = plan.devices.size === 0;

  return (
    <StageLayout panel={<NetworkPanel plan={plan} view={view} selection={selection} selectedIds={[...selected]} />}>
      <StageBar>
        <ViewTabs label="Views of the network" views={views} titles={VIEW_TITLES} value={name} onChoose={choose} />
        {name === 'drawing' ? null : <FilterField what="rows" {...filter} />}
        <span className="ml-auto flex gap-2">
          {name === 'cables' && chosenLinks.length > 0 ? (
            <Button onClick={removeLinks}>
              Remove <Key>Del</Key>
            </Button>
          ) : null}
          {name === 'streams' ? (
            <Button disabled={rows.streams.length === 0} onClick={() => void saveSdp(null)}>
              Export all as SDP
            </Button>
          ) : null}
          <Button onClick={() => askToImport('network-table')}>Import …</Button>
          <Button disabled={isEmpty} onClick={() => setDialog({ is: 'addresses' })}>
            Addresses …
          </Button>
          {name === 'drawing' || name === 'switches' ? (
            <Button onClick={() => setDialog({ is: 'switch' })}>Switch …</Button>
          ) : null}
          {name === 'subnets' ? (
            <Button tone="main" onClick={() => setDialog({ is: 'subnet' })}>
              Add <Key>N</Key>
            </Button>
          ) : name === 'drawing' || name === 'cables' ? (
            <Button
              tone="main"
              disabled={plan.devices.size < 2}
              onClick={() => setDialog({ is: 'cable', from: selectedDevice ?? '', to: null })}
            >
              Cable <Key>N</Key>
            </Button>
          ) : null}
        </span>
      </StageBar>
      {isEmpty && name !== 'subnets' ? (
        <EmptyStage
          title="Network: what is plugged into what"
          begin={
            <>
              <Button tone="main" autoFocus onClick={() => setDialog({ is: 'switch' })}>
                Add the first switch
              </Button>
              <Button onClick={() => askToImport('network-table')}>Import a table …</Button>
            </>
          }
        >
          Switches, cables and subnets are listed here, with the load of every cable in both directions and what will
          not work. Start with a switch, or import a table of what is there.
        </EmptyStage>
      ) : name === 'drawing' ? (
        <Suspense fallback={<p className="p-6 text-dim">Reading the drawing …</p>}>
          <Drawing
            plan={plan}
            view={view}
            selection={selection}
            onSelect={goTo}
            onConnect={(from, to) => setDialog({ is: 'cable', from, to })}
          />
        </Suspense>
      ) : name === 'cables' ? (
        <SortedSheet
          of={cables}
          rows={rows.cables}
          none={<NoRows what="cable" isFiltered={plan.links.size > 0} />}
          onRemove={removeLinks}
          {...sheet}
        />
      ) : name === 'subnets' ? (
        <SortedSheet
          of={SUBNETS}
          rows={rows.subnets}
          none={<NoRows what="subnet" isFiltered={plan.subnets.size > 0} />}
          paste={pasteSubnetNames(plan)}
          {...sheet}
        />
      ) : name === 'switches' ? (
        <SortedSheet
          of={SWITCHES}
          rows={rows.switches}
          none={<NoRows what="switch" isFiltered={view.network.groupsAtSwitch.size > 0} />}
          paste={pasteDeviceNames()}
          {...sheet}
        />
      ) : (
        <SortedSheet
          of={STREAMS}
          rows={rows.streams}
          none={<NoRows what="stream" isFiltered={view.totals.streams > 0} />}
          {...sheet}
        />
      )}
      {dialog === null ? null : (
        <NetworkDialogs
          plan={plan}
          dialog={dialog}
          place={selection?.kind === 'place' ? selection.id : place}
          deviceIds={selectedDevice === null ? null : [selectedDevice]}
          onClose={() => setDialog(null)}
          onMade={(made, id) => {
            if (made === 'subnet') choose('subnets');
            goTo(made, id);
          }}
        />
      )}
    </StageLayout>
  );
}

const NO_STREAMS: readonly StreamView[] = [];

/** The streams of the plan as shown, asked for only while they are looked at. */
function useStreams(view: View | null, isWantedAtAll: boolean): readonly StreamView[] {
  const streams = useWorkerAnswer({
    question: 'streams',
    about: [view],
    ask: (worker) => worker.streams(),
    failed: 'The streams could not be listed',
    isWanted: view !== null && isWantedAtAll,
  });
  return streams ?? NO_STREAMS;
}
