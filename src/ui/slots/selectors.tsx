import { selectorPositions, type SlotAbility } from '@/core/slots/slot-ability';

/** More positions than these nobody finds on a knob. */
const DRAWN_MAX = 64;

/** The selectors of one choice as the fitter sees them on the case, set to a block (null: off the bus); of a menu its number. */
export function Selectors({
  ability,
  block,
  label,
  isLarge = false,
}: {
  ability: SlotAbility;
  block: number | null;
  label: string;
  isLarge?: boolean;
}) {
  const positions = selectorPositions(ability, block);
  if (positions === null) return <span className="text-madder">cannot be set</span>;
  const { selector } = ability;
  if (selector.kind === 'menu' || selector.positions > DRAWN_MAX) {
    return (
      <span className={isLarge ? 'block py-1 text-[14px]' : 'text-[12px] text-dim'}>
        {selector.kind === 'menu' ? 'in its menu: ' : 'at '}
        <b className="font-mono font-semibold text-ink">{positions.join(' ')}</b>
      </span>
    );
  }
  const shown = positions.map((p) => digit(p)).join(selector.positions > 16 ? ' ' : '');
  return (
    <span
      role="img"
      aria-label={`${label}: ${selector.kind === 'rotary' ? 'rotary selectors' : 'DIP switches'} at ${positions.map(digit).join(', ')}`}
      className={`inline-flex items-center ${selector.kind === 'toggles' && !isLarge ? 'gap-0.5' : 'gap-1.5'}`}
    >
      {positions.map((position, n) =>
        selector.kind === 'rotary' ? (
          <Rotary key={n} position={position} positions={selector.positions} isLarge={isLarge} />
        ) : (
          <Toggle key={n} isUp={position === 1} isLarge={isLarge} />
        ),
      )}
      {isLarge || selector.kind === 'toggles' ? null : <span className="font-mono text-[12px] text-dim">{shown}</span>}
    </span>
  );
}

/** Sixteen positions are printed on the case as 0 to 9 and A to F. */
function digit(position: number): string {
  return position < 16 ? position.toString(16).toUpperCase() : String(position);
}

const LARGE = 92;
const SMALL = 24;

function Rotary({ position, positions, isLarge }: { position: number; positions: number; isLarge: boolean }) {
  const size = isLarge ? LARGE : SMALL;
  const middle = size / 2;
  const radius = isLarge ? 22 : 9;
  const at = (p: number, r: number) => {
    const angle = (p / positions) * 2 * Math.PI - Math.PI / 2;
    return { x: middle + r * Math.cos(angle), y: middle + r * Math.sin(angle) };
  };
  const tip = at(position, radius - 2);
  const tail = at(position, -radius / 2);
  return (
    <svg aria-hidden="true" width={size} height={size} viewBox={`0 0 ${size} ${size}`} className="shrink-0">
      <circle cx={middle} cy={middle} r={radius} fill="var(--raise)" stroke="var(--edge)" />
      {Array.from({ length: positions }, (_, p) => {
        const inner = at(p, radius + 1.5);
        const outer = at(p, radius + (isLarge ? 5 : 3));
        const text = at(p, radius + 14);
        const isSet = p === position;
        return (
          <g key={p}>
            <line
              x1={inner.x}
              y1={inner.y}
              x2={outer.x}
              y2={outer.y}
              stroke={isSet ? 'var(--jade)' : 'var(--dim)'}
              strokeWidth={isSet ? 2 : 1}
            />
            {isLarge ? (
              <text
                x={text.x}
                y={text.y}
                textAnchor="middle"
                dominantBaseline="central"
                fontSize={isSet ? 13 : 10}
                fontWeight={isSet ? 700 : 400}
                className="font-mono"
                fill={isSet ? 'var(--jade)' : 'var(--dim)'}
              >
                {digit(p)}
              </text>
            ) : null}
          </g>
        );
      })}
      <line
        x1={tail.x}
        y1={tail.y}
        x2={tip.x}
        y2={tip.y}
        stroke="var(--ink)"
        strokeWidth={isLarge ? 3 : 2}
        strokeLinecap="round"
      />
    </svg>
  );
}

function Toggle({ isUp, isLarge }: { isUp: boolean; isLarge: boolean }) {
  const width = isLarge ? 22 : 9;
  const height = isLarge ? 44 : 20;
  const knob = height / 2 - 3;
  return (
    <svg aria-hidden="true" width={width} height={height + (isLarge ? 16 : 0)} className="shrink-0">
      <rect x={0.5} y={0.5} width={width - 1} height={height - 1} fill="var(--bg)" stroke="var(--edge)" />
      <rect
        x={2}
        y={isUp ? 2 : height - knob - 2}
        width={width - 4}
        height={knob}
        fill={isUp ? 'var(--jade)' : 'var(--dim)'}
      />
      {isLarge ? (
        <text x={width / 2} y={height + 12} textAnchor="middle" fontSize={11} className="font-mono" fill="var(--ink)">
          {isUp ? 'on' : 'off'}
        </text>
      ) : null}
    </svg>
  );
}
