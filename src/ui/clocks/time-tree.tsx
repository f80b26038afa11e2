'use client';

import { useMemo } from 'react';
import type { Plan } from '@/core/plan/plan';
import { deviceName } from '@/ui/parts/network-words';
import { count } from '@/ui/parts/units';
import type { ClockView } from '@/workers/clock-view';
import { timeTree, type LeaderNode, type SegmentNode } from './tree';

interface TreeActions {
  readonly plan: Plan;
  readonly selectedId: string | null;
  /** Devices that differ from how it is without the drill or preview. */
  readonly changed: ReadonlySet<string>;
  readonly onSelect: (deviceId: string) => void;
}

/** More followers than this stand as a number; the sheet below has them all. */
const FOLLOWERS_SHOWN = 12;

/** Time on its way from the grandmaster through relays into every part of the network. */
export function TimeTreeDrawing({ clocks, ...actions }: TreeActions & { clocks: ClockView }) {
  const { plan } = actions;
  const tree = useMemo(() => timeTree(plan, clocks), [plan, clocks]);
  return (
    <div
      role="region"
      aria-label="Tree of time"
      tabIndex={0}
      className="h-full overflow-auto p-3 focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
    >
      <div className="flex w-max flex-col gap-4">
        {tree.roots.map((root) => (
          <Leader key={root.deviceId} node={root} {...actions} />
        ))}
        {tree.alone.length > 0 ? (
          <section
            aria-label="On their own"
            className="w-[420px] rounded border border-dashed border-madder px-2 py-1.5"
          >
            <h3 className="text-[12px] text-madder">
              {count(tree.alone.length, 'device')} on their own: they hear nobody
            </h3>
            <Names ids={tree.alone} {...actions} />
          </section>
        ) : null}
      </div>
    </div>
  );
}

function Leader({ node, ...actions }: TreeActions & { node: LeaderNode }) {
  const { plan, selectedId, changed, onSelect } = actions;
  const isSelected = selectedId === node.deviceId;
  return (
    <div className="flex items-start">
      <button
        type="button"
        onClick={() => onSelect(node.deviceId)}
        aria-pressed={isSelected}
        className={`w-[132px] shrink-0 rounded border px-2 py-1 text-left focus-visible:outline-2 focus-visible:outline-jade ${
          isSelected ? 'bg-selected' : 'bg-raise'
        } ${node.isGrandmaster ? 'border-2 border-jade' : 'border-edge'}`}
      >
        <span className="block truncate font-medium" title={deviceName(plan, node.deviceId)}>
          {deviceName(plan, node.deviceId)}
        </span>
        <span className={`block text-[11px] ${changed.has(node.deviceId) ? 'text-violet' : 'text-dim'}`}>
          {node.isGrandmaster ? 'grandmaster' : 'relays'}, {node.below} below
        </span>
      </button>
      <div className="flex flex-col gap-2">
        {node.segments.map((segment) => (
          <div key={segment.id} className="flex items-start">
            <span aria-hidden className="mt-[15px] w-5 shrink-0 border-t border-edge" />
            <Segment segment={segment} {...actions} />
          </div>
        ))}
      </div>
    </div>
  );
}

function Segment({ segment, ...actions }: TreeActions & { segment: SegmentNode }) {
  const { followers, standingBy, relays, title } = segment;
  return (
    <>
      <section aria-label={title} className="w-[218px] shrink-0 rounded border border-line bg-panel px-2 py-1">
        <h3 className="flex justify-between gap-2">
          <span className="truncate font-medium">{title}</span>
          <span className="text-dim">{followers.length > 0 ? `${followers.length} follow` : ''}</span>
        </h3>
        <Names ids={followers} {...actions} />
        {standingBy.length > 0 ? (
          <div className="mt-0.5 flex flex-wrap gap-x-2 text-[12px]">
            <span className="text-dim">stands by:</span>
            <Names ids={standingBy} {...actions} />
          </div>
        ) : null}
      </section>
      {relays.length > 0 ? (
        <div className="flex flex-col gap-2">
          {relays.map((relay) => (
            <div key={relay.deviceId} className="flex items-start">
              <span aria-hidden className="mt-[15px] w-5 shrink-0 border-t border-edge" />
              <Leader node={relay} {...actions} />
            </div>
          ))}
        </div>
      ) : null}
    </>
  );
}

function Names({ ids, plan, selectedId, changed, onSelect }: TreeActions & { ids: readonly string[] }) {
  const shown = ids.slice(0, FOLLOWERS_SHOWN);
  return (
    <span className="flex flex-wrap gap-x-2 text-[12px] leading-[17px]">
      {shown.map((id) => (
        <button
          key={id}
          type="button"
          onClick={() => onSelect(id)}
          aria-pressed={selectedId === id}
          className={`max-w-full truncate rounded-sm px-0.5 underline-offset-2 hover:underline focus-visible:outline-2 focus-visible:outline-jade ${
            selectedId === id ? 'bg-selected' : ''
          } ${changed.has(id) ? 'text-violet' : ''}`}
        >
          {deviceName(plan, id)}
        </button>
      ))}
      {ids.length > shown.length ? <span className="text-dim">and {ids.length - shown.length} more</span> : null}
    </span>
  );
}
