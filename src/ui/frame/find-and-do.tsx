'use client';

import { modelOf } from '@/core/plan/plan';
import { Command } from 'cmdk';
import { useRouter } from 'next/navigation';
import { useTheme } from 'next-themes';
import { useMemo, useState } from 'react';
import { channelName } from '@/ui/parts/words';
import { redo, undo } from '@/ui/session/actions';
import { usePlan } from '@/ui/session/plan-store';
import { saveSdp } from '@/ui/session/save-sdp';
import { askToTakeIn, type TakenInKind } from '@/ui/take-in/asked';
import { STAGES } from './stages';

interface Entry {
  readonly key: string;
  readonly kind: string;
  readonly words: string;
  readonly detail: string;
  readonly run: () => void;
}

const SHOWN_MAX = 40;

const TAKE_IN: readonly (readonly [TakenInKind, string])[] = [
  ['patch-list', 'Import a patch list'],
  ['network-table', 'Import the network as it is'],
  ['sdp', 'Import senders from SDP, or as announced (SAP)'],
  ['nmos', 'Import devices from NMOS resources'],
  ['plan', 'Import from another plan'],
];

/** One field for everything: any device, channel, stream or address to go to, any command to run. */
export function FindAndDo({
  planId,
  onClose,
  onHistory,
}: {
  planId: string;
  onClose: () => void;
  onHistory: () => void;
}) {
  const plan = usePlan((s) => s.plan);
  const view = usePlan((s) => s.view);
  const router = useRouter();
  const { resolvedTheme, setTheme } = useTheme();
  const [query, setQuery] = useState('');

  const totals = view?.totals ?? null;
  const commands = useMemo((): Entry[] => {
    const go = (href: string) => () => router.push(href);
    return [
      ...STAGES.map(({ id, title }) => ({
        key: `go-${id}`,
        kind: 'Do',
        words: `Go to ${title}`,
        detail: '',
        run: go(`/plans/${planId}/${id}`),
      })),
      { key: 'go-plans', kind: 'Do', words: 'Go to all plans', detail: '', run: go('/') },
      ...STAGES.flatMap(({ id, title, actions }) =>
        actions(totals).map(({ key, words, query }) => ({
          key,
          kind: 'Do',
          words,
          detail: title,
          run: go(`/plans/${planId}/${id}${query}`),
        })),
      ),
      ...TAKE_IN.map(([kind, words]) => ({
        key: `take-in-${kind}`,
        kind: 'Do',
        words,
        detail: 'or drop it on the window',
        run: () => askToTakeIn(kind),
      })),
      {
        key: 'save-sdp',
        kind: 'Do',
        words: 'Save all streams as SDP',
        detail: 'zip',
        run: () => void saveSdp(null),
      },
      { key: 'history', kind: 'Do', words: 'Show the history of changes', detail: '', run: onHistory },
      { key: 'undo', kind: 'Do', words: 'Undo', detail: 'Ctrl Z', run: () => void undo() },
      { key: 'redo', kind: 'Do', words: 'Redo', detail: 'Ctrl Y', run: () => void redo() },
      {
        key: 'theme',
        kind: 'Do',
        words: 'Change theme',
        detail: '',
        run: () => setTheme(resolvedTheme === 'dark' ? 'light' : 'dark'),
      },
    ];
  }, [planId, router, resolvedTheme, setTheme, totals, onHistory]);

  const found = useMemo((): Entry[] => {
    const words = query.trim().toLowerCase().split(/\s+/).filter(Boolean);
    const fits = (text: string) => words.every((w) => text.toLowerCase().includes(w));
    const entries = commands.filter((c) => fits(c.words));
    if (plan === null || words.length === 0) return entries;
    const gear = (id: string) => () =>
      router.push(
        modelOf(plan, id)?.switching
          ? `/plans/${planId}/network?view=switches&sel=device:${id}`
          : `/plans/${planId}/gear?sel=${id}`,
      );
    for (const d of plan.devices.values()) {
      if (entries.length >= SHOWN_MAX) return entries;
      if (fits(d.name)) {
        entries.push({
          key: `d-${d.id}`,
          kind: 'Device',
          words: d.name,
          detail: plan.places.get(d.placeId ?? '')?.name ?? '',
          run: gear(d.id),
        });
      }
    }
    for (const s of plan.subnets.values()) {
      if (entries.length >= SHOWN_MAX) return entries;
      if (!fits(`${s.name} ${s.cidr} ${s.vlan === null ? '' : `VLAN ${s.vlan}`}`)) continue;
      entries.push({
        key: `s-${s.id}`,
        kind: 'Subnet',
        words: s.name,
        detail: s.cidr,
        run: () => router.push(`/plans/${planId}/network?view=subnets&sel=subnet:${s.id}`),
      });
    }
    for (const [deviceId, own] of plan.interfaces) {
      for (const i of own.values()) {
        if (entries.length >= SHOWN_MAX) return entries;
        if (i.address === null || !fits(i.address)) continue;
        const name = plan.devices.get(deviceId)?.name ?? deviceId;
        entries.push({
          key: `a-${deviceId}-${i.name}`,
          kind: 'Address',
          words: i.address,
          detail: `${name}, ${i.name}`,
          run: gear(deviceId),
        });
      }
    }
    for (const device of plan.devices.values()) {
      const lanes = view?.lanes.get(device.id);
      const model = plan.models.get(device.modelId);
      for (let channel = 1; channel <= (model?.channelsReceive ?? 0); channel += 1) {
        if (entries.length >= SHOWN_MAX) return entries;
        const label = channelName(plan, device.id, 'receive', channel);
        const lane = lanes?.get(channel);
        const heard = lane
          ? `${plan.devices.get(lane.senderDeviceId)?.name ?? ''} ${channelName(plan, lane.senderDeviceId, 'send', lane.senderChannel)}`
          : '';
        if (!fits(`${device.name} ${label} ${heard} ${lane?.streamId ?? ''}`)) continue;
        entries.push({
          key: `c-${device.id}-${channel}`,
          kind: 'Lane',
          words: `${device.name} · ${label}`,
          detail: heard === '' ? 'free' : `hears ${heard}`,
          run: () => router.push(`/plans/${planId}/lanes?sel=${device.id}:${channel}-${channel}`),
        });
      }
    }
    return entries;
  }, [query, commands, plan, view, planId, router]);

  return (
    <Command.Dialog
      open
      onOpenChange={(is) => !is && onClose()}
      shouldFilter={false}
      label="Find or do anything"
      overlayClassName="fixed inset-0 z-40 bg-black/50"
      contentClassName="fixed top-[12vh] left-1/2 z-50 w-[560px] max-w-[92vw] -translate-x-1/2 rounded border border-edge bg-panel text-ink"
    >
      <Command.Input
        value={query}
        onValueChange={setQuery}
        placeholder="A device, channel, stream or address, or what to do"
        className="h-10 w-full border-b border-line bg-transparent px-3 text-ink outline-none placeholder:text-faint"
      />
      <Command.List className="max-h-[52vh] overflow-y-auto p-1.5">
        <Command.Empty className="p-3 text-dim">Nothing of that name.</Command.Empty>
        {found.map((entry) => (
          <Command.Item
            key={entry.key}
            value={entry.key}
            onSelect={() => {
              onClose();
              entry.run();
            }}
            className="flex h-7 cursor-pointer items-center gap-3 rounded px-2 data-[selected=true]:bg-selected"
          >
            <span className="w-14 shrink-0 text-[12px] text-faint">{entry.kind}</span>
            <span className="truncate">{entry.words}</span>
            <span className="ml-auto truncate pl-3 text-dim">{entry.detail}</span>
          </Command.Item>
        ))}
      </Command.List>
    </Command.Dialog>
  );
}
