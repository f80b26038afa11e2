import { useMemo, type ReactNode } from 'react';
import type { Plan } from '@/core/plan/plan';
import { deviceName } from '@/ui/parts/names';
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
      aria-label="Clock tree"
      tabIndex={0}
      className="h-full overflow-auto p-3 focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
    >
      <div className="flex w-max flex-col gap-4">
        {tree.roots.map((root) => (
          <Leader key={root.deviceId} node={root} {...actions} />
        ))}
        {tree.alone.length > 0 ? (
          <section
            aria-label="Unsynchronised"
            className="w-[420px] rounded border border-dashed border-madder px-2 py-1.5"
          >
            <h3 className="text-[12px] text-madder">
              {count(tree.alone.length, 'device')} unsynchronised: no grandmaster reachable
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
          {node.isGrandmaster ? 'grandmaster' : 'relays'}
          {node.below > 0 ? `, ${node.below} below` : ''}
        </span>
      </button>
      <Stem hasMany={node.segments.length > 1} />
      <div className="flex flex-col">
        {node.segments.map((segment, n) => (
          <Twig key={segment.id} isFirst={n === 0} isLast={n === node.segments.length - 1}>
            <Segment leaderId={node.deviceId} segment={segment} {...actions} />
          </Twig>
        ))}
      </div>
    </div>
  );
}

/** The middle of a box's first line, where lines meet it. */
const LINE_Y = 15;

function Stem({ hasMany }: { hasMany: boolean }) {
  return (
    <span
      aria-hidden
      style={{ marginTop: LINE_Y }}
      className={`${hasMany ? 'w-2.5' : 'w-1'} shrink-0 border-t border-edge`}
    />
  );
}

/** One of several branches: the upright runs from the first to the last of them. */
function Twig({ isFirst, isLast, children }: { isFirst: boolean; isLast: boolean; children: ReactNode }) {
  return (
    <div className="relative flex items-start pb-2">
      {isFirst && isLast ? null : (
        <span
          aria-hidden
          className="absolute left-0 border-l border-edge"
          style={{ top: isFirst ? LINE_Y : 0, ...(isLast ? { height: LINE_Y } : { bottom: 0 }) }}
        />
      )}
      <span aria-hidden style={{ marginTop: LINE_Y }} className="w-3 shrink-0 border-t border-edge" />
      {children}
    </div>
  );
}

function Segment({ leaderId, segment, ...actions }: TreeActions & { leaderId: string; segment: SegmentNode }) {
  const { followers, standingBy, secondWays, relays, title } = segment;
  return (
    <>
      <section
        aria-label={`${title}, time from ${deviceName(actions.plan, leaderId)}`}
        className="w-[218px] shrink-0 rounded border border-line bg-panel px-2 py-1"
      >
        <h3 className="flex justify-between gap-2">
          <span className="truncate font-medium">{title}</span>
          <span className="text-dim">{followers.length > 0 ? `${followers.length} follow` : ''}</span>
        </h3>
        <Names ids={followers} {...actions} />
        {standingBy.length > 0 ? (
          <div className="mt-0.5 flex flex-wrap gap-x-2 text-[12px]">
            <span className="text-dim">standby:</span>
            <Names ids={standingBy} {...actions} />
          </div>
        ) : null}
        {secondWays > 0 ? <p className="text-[12px] text-dim">{count(secondWays, 'device')} on a second path</p> : null}
      </section>
      {relays.length > 0 ? (
        <>
          <Stem hasMany={relays.length > 1} />
          <div className="flex flex-col">
            {relays.map((relay, n) => (
              <Twig key={relay.deviceId} isFirst={n === 0} isLast={n === relays.length - 1}>
                <Leader node={relay} {...actions} />
              </Twig>
            ))}
          </div>
        </>
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
