import { formatAddress } from '@/core/network/address';
import { blockSize, type SubnetUse } from '@/core/network/subnets';
import { percent } from '@/ui/parts/units';

/** The load of one direction as a bar with the ceiling marked, and the share in figures. */
export function LoadBar({ share, ceilingPercent, label }: { share: number; ceilingPercent: number; label: string }) {
  const isOver = share * 100 > ceilingPercent;
  return (
    <span className="flex items-center gap-1.5">
      <span
        role="meter"
        aria-label={label}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.min(100, Math.round(share * 100))}
        className="relative inline-block h-2 w-[34px] shrink-0 bg-line"
      >
        <span
          className={`block h-2 ${isOver ? 'bg-madder' : 'bg-jade'}`}
          style={{ width: `${Math.min(100, share * 100)}%` }}
        />
        <span
          aria-hidden="true"
          className="absolute top-[-1px] h-2.5 w-px bg-dim"
          style={{ left: `${ceilingPercent}%` }}
        />
      </span>
      <span className={`font-mono text-[12px] ${isOver ? 'text-madder' : ''}`}>{percent(share)}</span>
    </span>
  );
}

const CELLS = 64;

/** The addresses of a subnet as a strip of equal parts: jade where any is held, hatched where DHCP gives them out. */
export function UseStrip({ use, name, wide = false }: { use: SubnetUse; name: string; wide?: boolean }) {
  if (use.block === null) return <span className="text-madder">not a block</span>;
  const size = blockSize(use.block);
  const cells = Math.min(CELLS, size);
  const per = size / cells;
  const held = new Array<number>(cells).fill(0);
  for (const { address } of use.held) {
    const cell = Math.floor((address - use.block.base) / per);
    held[cell] = (held[cell] ?? 0) + 1;
  }
  const isDhcp = (cell: number) => {
    if (use.dhcp === null || use.block === null) return false;
    const from = use.block.base + cell * per;
    return use.dhcp.first < from + per && use.dhcp.last >= from;
  };
  return (
    <span
      role="img"
      aria-label={`${name}: ${use.held.length} of ${use.usable} addresses held, ${use.free} free`}
      title={`${use.held.length} of ${use.usable} held, ${use.free} free`}
      className={`flex w-full items-stretch border border-edge ${wide ? 'h-5' : 'h-3'}`}
    >
      {held.map((count, cell) => (
        <span
          key={cell}
          title={wide ? rangeText(use.block?.base ?? 0, cell, per, count) : undefined}
          className={`min-w-0 flex-1 ${isDhcp(cell) ? 'bg-[repeating-linear-gradient(135deg,var(--edge)_0_1px,transparent_1px_4px)]' : ''}`}
        >
          <span
            className="block bg-jade"
            style={{ height: '100%', opacity: count === 0 ? 0 : Math.max(0.45, Math.min(1, count / per)) }}
          />
        </span>
      ))}
    </span>
  );
}

function rangeText(base: number, cell: number, per: number, count: number): string {
  const from = base + cell * per;
  const to = from + per - 1;
  const range = per === 1 ? formatAddress(from) : `${formatAddress(from)} to ${formatAddress(to)}`;
  return `${range}: ${count} held`;
}
