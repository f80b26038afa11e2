import { compareNames } from '@/core/plan/name-order';
import type { PlanRibbon } from '@/server/messages';

const WIDTH = 200;
const HEIGHT = 64;
const EDGE = 3;
const GAP = 2;
const WIDTH_MIN = 0.8;

interface Laid {
  readonly name: string;
  readonly y: number;
  readonly height: number;
}

/** The places of one edge, the one with most channels on top, each as high as its channels. */
function edgeOf(ribbons: readonly PlanRibbon[], side: 'from' | 'to'): ReadonlyMap<string, Laid> {
  const channels = new Map<string, number>();
  for (const r of ribbons) channels.set(r[side], (channels.get(r[side]) ?? 0) + r.channels);
  const all = [...channels].sort((a, b) => b[1] - a[1] || compareNames(a[0], b[0]));
  const total = all.reduce((sum, [, n]) => sum + n, 0);
  const room = HEIGHT - GAP * (all.length - 1);
  let y = 0;
  return new Map(
    all.map(([name, n]): [string, Laid] => {
      const height = (n / total) * room;
      const laid = { name, y, height };
      y += height + GAP;
      return [name, laid];
    }),
  );
}

/** What a plan is, at a glance: its lanes from place to place, as wide as their channels. Refused ones are dashed. */
export function SmallLoom({ ribbons, name }: { ribbons: readonly PlanRibbon[]; name: string }) {
  const channels = ribbons.reduce((sum, r) => sum + r.channels, 0);
  if (channels === 0) return <span className="text-[12px] text-faint">no lanes yet</span>;
  const from = edgeOf(ribbons, 'from');
  const to = edgeOf(ribbons, 'to');
  const usedFrom = new Map<string, number>();
  const usedTo = new Map<string, number>();
  const at = (laid: Laid, used: Map<string, number>, height: number) => {
    const y = laid.y + (used.get(laid.name) ?? 0) + height / 2;
    used.set(laid.name, (used.get(laid.name) ?? 0) + height);
    return y;
  };
  const scaleOf = (edge: ReadonlyMap<string, Laid>) => (HEIGHT - GAP * (edge.size - 1)) / channels;
  const scale = Math.min(scaleOf(from), scaleOf(to));
  return (
    <svg
      width={WIDTH}
      height={HEIGHT}
      role="img"
      aria-label={`${name}: ${ribbons.length === 1 ? 'lanes' : `the widest lanes`} run from ${ribbons[0]?.from ?? ''} to ${ribbons[0]?.to ?? ''}`}
    >
      {ribbons.map((r) => {
        const height = r.channels * scale;
        const a = at(from.get(r.from) as Laid, usedFrom, height);
        const b = at(to.get(r.to) as Laid, usedTo, height);
        const isRefused = r.refused === r.channels;
        return (
          <path
            key={`${r.from} ${r.to}`}
            d={`M${EDGE} ${a}C${WIDTH * 0.4} ${a} ${WIDTH * 0.6} ${b} ${WIDTH - EDGE} ${b}`}
            fill="none"
            stroke={r.refused > 0 ? 'var(--madder)' : 'var(--jade)'}
            strokeOpacity={0.55}
            strokeWidth={Math.max(WIDTH_MIN, height)}
            strokeDasharray={isRefused ? '4 3' : undefined}
          >
            <title>{`${r.from} to ${r.to}: ${r.channels}${r.refused > 0 ? `, ${r.refused} refused` : ''}`}</title>
          </path>
        );
      })}
      {[...from.values()].map((e) => (
        <rect key={`f ${e.name}`} x={0} y={e.y} width={EDGE} height={Math.max(1, e.height)} fill="var(--ink)" />
      ))}
      {[...to.values()].map((e) => (
        <rect
          key={`t ${e.name}`}
          x={WIDTH - EDGE}
          y={e.y}
          width={EDGE}
          height={Math.max(1, e.height)}
          fill="var(--ink)"
        />
      ))}
    </svg>
  );
}
