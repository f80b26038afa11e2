import { GUTTER, ROW_HEIGHT, TITLE_HEIGHT } from './measures';
import { ribbonsOf, type Joint } from './patch-rows';

const MIDDLE = ROW_HEIGHT / 2;
/** How far ribbons run straight at both ends. */
const EDGE = 10;

/** The threads between two columns. What has scrolled out of sight runs to the edge. */
export function Threads({
  joints,
  leftTop,
  rightTop,
  height,
  changed,
  cursor,
}: {
  joints: readonly Joint[];
  leftTop: number;
  rightTop: number;
  height: number;
  changed: ReadonlySet<string>;
  cursor: string | null;
}) {
  const isAtCursor = (j: Joint) => cursor !== null && (j.fedKey === cursor || j.fromKey === cursor);
  const ribbons = ribbonsOf(joints, (j) => isAtCursor(j) || changed.has(j.fedKey));
  const clamp = (y: number) => Math.max(-ROW_HEIGHT, Math.min(height + ROW_HEIGHT, y));
  const left = (row: number) => clamp(row * ROW_HEIGHT - leftTop);
  const right = (row: number) => clamp(row * ROW_HEIGHT - rightTop);
  const isSeen = (first: number, last: number, top: number) =>
    (last + 1) * ROW_HEIGHT > top && first * ROW_HEIGHT < top + height;
  const seen = ribbons.filter(
    ({ first, last }) => isSeen(first.from, last.from, leftTop) || isSeen(first.to, last.to, rightTop),
  );
  const inner = GUTTER - EDGE;
  return (
    <svg aria-hidden="true" width={GUTTER} height="100%" className="h-full border-x border-line/60">
      <svg y={TITLE_HEIGHT} height={height} width={GUTTER}>
        {seen.map(({ first, last }) => {
          const isChanged = changed.has(first.fedKey);
          const isHere = isAtCursor(first);
          const hue = isChanged ? 'text-violet' : isHere ? 'text-jade' : 'text-slate';
          // A single thread is thin; a run is as wide as its rows.
          const [a, b] = first === last ? [MIDDLE - 1, MIDDLE + 1] : [3, ROW_HEIGHT - 3];
          const [fromTop, fromEnd] = [left(first.from) + a, left(last.from) + b];
          const [toTop, toEnd] = [right(first.to) + a, right(last.to) + b];
          return (
            <path
              key={first.fedKey}
              d={`M0 ${fromTop}H${EDGE}L${inner} ${toTop}H${GUTTER}V${toEnd}H${inner}L${EDGE} ${fromEnd}H0Z`}
              className={hue}
              fill="currentColor"
              fillOpacity={first === last ? 0.9 : 0.16}
              stroke="currentColor"
              strokeWidth={first === last ? (isHere ? 1.5 : 0) : 0.75}
              strokeDasharray={isChanged ? '4 3' : undefined}
            />
          );
        })}
      </svg>
    </svg>
  );
}
