import type { Plan } from '@/core/plan/plan';
import { terminalChannel } from '@/ui/parts/signal-words';
import { GUTTER, ROW_HEIGHT, TITLE_HEIGHT } from './measures';
import { endOfKey, ribbonsOf, type Joint } from './patch-rows';

const MIDDLE = ROW_HEIGHT / 2;
/** How far ribbons run straight at both ends. */
const EDGE = 10;

/**
 * The threads between two columns. What has scrolled out of sight runs to the edge. A run of channels says how many it is; jade
 * is what the device reports as planned.
 */
export function Threads({
  plan,
  deviceId,
  joints,
  leftTop,
  rightTop,
  height,
  changed,
  differing,
  isRead,
  cursor,
}: {
  plan: Plan;
  deviceId: string;
  joints: readonly Joint[];
  leftTop: number;
  rightTop: number;
  height: number;
  changed: ReadonlySet<string>;
  differing: ReadonlySet<string>;
  /** Whether the device says how it is patched. */
  isRead: boolean;
  cursor: string | null;
}) {
  const isAtCursor = (j: Joint) => cursor !== null && (j.fedKey === cursor || j.fromKey === cursor);
  const ribbons = ribbonsOf(joints, (j) => isAtCursor(j) || changed.has(j.fedKey) || differing.has(j.fedKey));
  const clamp = (y: number) => Math.max(-ROW_HEIGHT, Math.min(height + ROW_HEIGHT, y));
  const left = (row: number) => clamp(row * ROW_HEIGHT - leftTop);
  const right = (row: number) => clamp(row * ROW_HEIGHT - rightTop);
  const isSeen = (first: number, last: number, top: number) =>
    (last + 1) * ROW_HEIGHT > top && first * ROW_HEIGHT < top + height;
  const seen = ribbons.filter(
    ({ first, last }) => isSeen(first.from, last.from, leftTop) || isSeen(first.to, last.to, rightTop),
  );
  const inner = GUTTER - EDGE;
  const endWords = (first: Joint, last: Joint, key: 'fromKey' | 'fedKey') => {
    const [a, b] = [endOfKey(first[key]), endOfKey(last[key])];
    if (a === null || b === null) return '';
    const words = terminalChannel(plan, { deviceId, ...a });
    return a.channel === b.channel ? words : `${words} to ${b.channel}`;
  };
  return (
    <svg aria-hidden="true" width={GUTTER} height="100%" className="h-full border-x border-line/60">
      <svg y={TITLE_HEIGHT} height={height} width={GUTTER}>
        {seen.map(({ first, last }) => {
          const isChanged = changed.has(first.fedKey);
          const isHere = isAtCursor(first);
          const isAsPlanned = isRead && !differing.has(first.fedKey);
          const hue = isChanged
            ? 'text-violet'
            : isHere || isAsPlanned
              ? 'text-jade'
              : isRead
                ? 'text-ochre'
                : 'text-slate';
          // A single thread is thin; a run is as wide as its rows.
          const [a, b] = first === last ? [MIDDLE - 1, MIDDLE + 1] : [3, ROW_HEIGHT - 3];
          const [fromTop, fromEnd] = [left(first.from) + a, left(last.from) + b];
          const [toTop, toEnd] = [right(first.to) + a, right(last.to) + b];
          const middleOfSeen = (Math.max(0, (fromTop + toTop) / 2) + Math.min(height, (fromEnd + toEnd) / 2)) / 2;
          const channels = last.to - first.to + 1;
          return (
            <g key={first.fedKey} className={hue}>
              <title>{`${endWords(first, last, 'fromKey')} → ${endWords(first, last, 'fedKey')}`}</title>
              <path
                d={`M0 ${fromTop}H${EDGE}L${inner} ${toTop}H${GUTTER}V${toEnd}H${inner}L${EDGE} ${fromEnd}H0Z`}
                fill="currentColor"
                fillOpacity={first === last ? 0.9 : 0.16}
                stroke="currentColor"
                strokeWidth={first === last ? (isHere ? 1.5 : 0) : 0.75}
                strokeDasharray={isChanged ? '4 3' : undefined}
              />
              {channels > 1 ? (
                <text
                  x={GUTTER / 2}
                  y={middleOfSeen + 4}
                  textAnchor="middle"
                  className="pointer-events-none fill-ink font-mono text-[11px]"
                >
                  {channels} ch
                </text>
              ) : null}
            </g>
          );
        })}
      </svg>
    </svg>
  );
}
