'use client';

import type { SelectHow } from '@/ui/parts/sheet';
import { parseAsString, parseAsStringLiteral, useQueryState } from 'nuqs';
import { lazy, Suspense, useEffect, useMemo, useState } from 'react';
import type { Command } from '@/core/plan/commands';
import type { Plan } from '@/core/plan/plan';
import { StageLayout } from '@/ui/frame/stage-layout';
import { Button, Key, TextField } from '@/ui/parts/controls';
import { AddDevices } from '@/ui/parts/add-devices';
import { useMarks } from '@/ui/parts/marks';
import { linkName } from '@/ui/parts/network-words';
import { searchFor } from '@/ui/parts/find-text';
import { count } from '@/ui/parts/units';
import { NoRows, ViewTabs } from '@/ui/parts/view-tabs';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { commitWithUndo } from '@/ui/session/actions';
import { type View } from '@/ui/session/plan-store';
import { saveSdp } from '@/ui/session/save-sdp';
import { useShown } from '@/ui/session/shown';
import { askToImport } from '@/ui/import/asked';
import type { StreamView } from '@/workers/reckon-view';
import { AddressesDialog } from './addresses-dialog';
import { NetworkPanel } from './network-panel';
import { cableRows, streamRows, subnetRows, switchRows } from './network-rows';
import { PlugDialog } from './plug-dialog';
import {
  NETWORK_VIEWS,
  networkSelectionText,
  parseNetworkSelection,
  type NetworkKind,
  type NetworkViewName,
} from './selection';
import { pasteDeviceNames, pasteSubnetNames } from '@/ui/parts/sheet-pastes';
import { CableSheet, StreamSheet, SubnetSheet, SwitchSheet } from './sheets';
import { SubnetDialog } from './subnet-dialog';

const Drawing = lazy(() => import('./drawing').then((m) => ({ default: m.Drawing })));

const VIEW_TITLES: Readonly<Record<NetworkViewName, string>> = {
  drawing: 'Drawing',
  cables: 'Cables',
  subnets: 'Subnets',
  switches: 'Switches',
  streams: 'Streams',
};
const KIND_OF_VIEW: Readonly<Record<NetworkViewName, NetworkKind>> = {
  drawing: 'device',
  cables: 'link',
  subnets: 'subnet',
  switches: 'device',
  streams: 'stream',
};

/** What is plugged into what, who has which address, and whether it will hold. */
export function NetworkStage() {
  const shown = useShown();
  const [name, setName] = useQueryState('view', parseAsStringLiteral(NETWORK_VIEWS).withDefault('drawing'));
  const [selectionText, setSelectionText] = useQueryState('sel');
  const [text, setText] = useQueryState('find', parseAsString.withDefault(''));
  const [place] = useQueryState('place');
  const [plugging, setPlugging] = useState<{ from: string; to: string | null } | null>(null);
  const [isAddingSubnet, setAddingSubnet] = useState(false);
  const [isAddressing, setAddressing] = useState(false);
  const [isAddingSwitch, setAddingSwitch] = useState(false);
  const selection = useMemo(() => parseNetworkSelection(selectionText), [selectionText]);
  const streams = useStreams(shown?.view ?? null, name === 'streams');
  const search = useMemo(() => searchFor(text), [text]);
  const kind = KIND_OF_VIEW[name];
  const cursor = selection?.kind === kind ? selection.id : null;
  const [order, setOrder] = useState<readonly string[]>([]);
  const { selected, select, mark } = useMarks(
    order,
    cursor,
    (id) => void setSelectionText(networkSelectionText(kind, id)),
  );

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
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const isBusy =
        e.target instanceof HTMLElement && e.target.closest('input, textarea, select, [role=dialog]') !== null;
      if (isBusy || e.ctrlKey || e.metaKey || e.altKey || e.key.toLowerCase() !== 'n') return;
      e.preventDefault();
      if (name === 'subnets') setAddingSubnet(true);
      else setPlugging({ from: selection?.kind === 'device' ? selection.id : '', to: null });
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [name, selection]);

  if (shown === null || rows === null) return null;
  const { plan, view } = shown;
  const choose = (next: NetworkViewName) => {
    mark([]);
    void setName(next);
    void setSelectionText(null);
  };
  const onSelect = (key: string, how: SelectHow, keys: readonly string[]) => {
    setOrder(keys);
    select(key, how);
  };
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
  const sheet = { selectedKeys: selected, cursorKey: cursor, onSelect };
  const selectedDevice = selection?.kind === 'device' ? selection.id : null;
  const isEmpty = plan.devices.size === 0;

  return (
    <StageLayout panel={<NetworkPanel plan={plan} view={view} selection={selection} selectedIds={[...selected]} />}>
      <div className="flex h-10 shrink-0 items-center gap-2 border-b border-line px-3 text-dim max-md:overflow-x-auto max-md:*:shrink-0">
        <ViewTabs
          label="Views of the network"
          views={NETWORK_VIEWS}
          titles={VIEW_TITLES}
          value={name}
          onChoose={choose}
        />
        {name === 'drawing' ? null : (
          <TextField
            type="search"
            aria-label="Filter rows"
            placeholder="Filter"
            value={text}
            onChange={(e) => void setText(e.target.value || null)}
            className="w-[110px]"
          />
        )}
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
          <Button disabled={isEmpty} onClick={() => setAddressing(true)}>
            Addresses …
          </Button>
          {name === 'drawing' || name === 'switches' ? (
            <Button onClick={() => setAddingSwitch(true)}>Switch …</Button>
          ) : null}
          {name === 'subnets' ? (
            <Button tone="main" onClick={() => setAddingSubnet(true)}>
              Add <Key>N</Key>
            </Button>
          ) : name === 'drawing' || name === 'cables' ? (
            <Button
              tone="main"
              disabled={plan.devices.size < 2}
              onClick={() => setPlugging({ from: selectedDevice ?? '', to: null })}
            >
              Cable <Key>N</Key>
            </Button>
          ) : null}
        </span>
      </div>
      {isEmpty && name !== 'subnets' ? (
        <div className="max-w-[520px] p-8">
          <h2 className="text-[16px] font-semibold">Network: what is plugged into what</h2>
          <p className="mt-2 text-dim">
            Switches, cables and subnets are listed here, with the load of every cable in both directions and what will
            not work. Start with a switch, or import a table of what is there.
          </p>
          <p className="mt-4 flex gap-2">
            <Button tone="main" autoFocus onClick={() => setAddingSwitch(true)}>
              Add the first switch
            </Button>
            <Button onClick={() => askToImport('network-table')}>Import a table …</Button>
          </p>
        </div>
      ) : name === 'drawing' ? (
        <Suspense fallback={<p className="p-6 text-dim">Reading the drawing …</p>}>
          <Drawing
            plan={plan}
            view={view}
            selection={selection}
            onSelect={(k, id) => void setSelectionText(networkSelectionText(k, id))}
            onConnect={(from, to) => setPlugging({ from, to })}
          />
        </Suspense>
      ) : name === 'cables' ? (
        rows.cables.length > 0 ? (
          <CableSheet plan={plan} rows={rows.cables} onRemove={removeLinks} {...sheet} />
        ) : (
          <NoRows what="cable" isFiltered={plan.links.size > 0} />
        )
      ) : name === 'subnets' ? (
        rows.subnets.length > 0 ? (
          <SubnetSheet rows={rows.subnets} paste={pasteSubnetNames(plan)} {...sheet} />
        ) : (
          <NoRows what="subnet" isFiltered={plan.subnets.size > 0} />
        )
      ) : name === 'switches' ? (
        rows.switches.length > 0 ? (
          <SwitchSheet rows={rows.switches} paste={pasteDeviceNames()} {...sheet} />
        ) : (
          <NoRows what="switch" isFiltered={view.network.groupsAtSwitch.size > 0} />
        )
      ) : rows.streams.length > 0 ? (
        <StreamSheet rows={rows.streams} {...sheet} />
      ) : (
        <NoRows what="stream" isFiltered={view.totals.streams > 0} />
      )}
      {plugging !== null ? (
        <Plug
          plan={plan}
          plugging={plugging}
          onClose={(linkId) => {
            setPlugging(null);
            if (linkId !== null) void setSelectionText(networkSelectionText('link', linkId));
          }}
        />
      ) : null}
      {isAddingSubnet ? (
        <SubnetDialog
          plan={plan}
          onClose={(id) => {
            setAddingSubnet(false);
            if (id !== null) {
              void setName('subnets');
              void setSelectionText(networkSelectionText('subnet', id));
            }
          }}
        />
      ) : null}
      {isAddingSwitch ? (
        <AddDevices
          plan={plan}
          kind="switch"
          onClose={() => setAddingSwitch(false)}
          onAdded={(ids) => {
            setAddingSwitch(false);
            if (ids[0] !== undefined) void setSelectionText(networkSelectionText('device', ids[0]));
          }}
        />
      ) : null}
      {isAddressing ? (
        <AddressesDialog
          plan={plan}
          place={selection?.kind === 'place' ? selection.id : place}
          deviceIds={selectedDevice === null ? null : [selectedDevice]}
          onClose={() => setAddressing(false)}
        />
      ) : null}
    </StageLayout>
  );
}

function Plug({
  plan,
  plugging,
  onClose,
}: {
  plan: Plan;
  plugging: { from: string; to: string | null };
  onClose: (linkId: string | null) => void;
}) {
  // Without a selection the first switch is as good a start as any.
  const devices = [...plan.devices.values()];
  const first = devices.find((d) => plan.models.get(d.modelId)?.switching) ?? devices[0];
  const from = plan.devices.has(plugging.from) ? plugging.from : (first?.id ?? '');
  if (from === '') return null;
  return <PlugDialog plan={plan} from={{ deviceId: from, port: null }} to={plugging.to} onClose={onClose} />;
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
