import { count } from './units';
import type { SheetColumn } from './sheet';
import { wrongOrder, type Wrong } from './wrong';

/** A number in a hexagon: refusals. */
export function Refusals({ n }: { n: number }) {
  if (n === 0) return null;
  return (
    <span
      role="img"
      aria-label={count(n, 'refusal')}
      className="grid h-4 min-w-[20px] place-items-center bg-madder px-1 text-[10.5px] font-semibold text-on-sign tabular-nums [clip-path:polygon(22%_0,78%_0,100%_50%,78%_100%,22%_100%,0_50%)]"
    >
      {n}
    </span>
  );
}

/** A number in a lozenge: cautions. */
export function Cautions({ n }: { n: number }) {
  if (n === 0) return null;
  return (
    <span
      role="img"
      aria-label={count(n, 'caution')}
      className="grid h-5 min-w-[24px] place-items-center bg-ochre px-1 text-[10.5px] font-semibold text-on-sign tabular-nums [clip-path:polygon(50%_0,100%_50%,50%_100%,0_50%)]"
    >
      {n}
    </span>
  );
}

/** How much of something is used, as a bar; the numbers stand beside it. */
export function BudgetBar({
  used,
  limit,
  label,
  narrow = false,
}: {
  used: number;
  limit: number;
  label: string;
  narrow?: boolean;
}) {
  const share = limit === 0 ? 0 : Math.min(1, used / limit);
  return (
    <span
      role="meter"
      aria-label={label}
      aria-valuenow={used}
      aria-valuemin={0}
      aria-valuemax={limit}
      className={`inline-block h-1.5 ${narrow ? 'w-[26px]' : 'w-[84px]'} shrink-0 rounded-[1px] bg-line align-middle`}
    >
      <span
        className={`block h-1.5 rounded-[1px] ${used > limit ? 'bg-madder' : 'bg-jade'}`}
        style={{ width: `${share * 100}%` }}
      />
    </span>
  );
}

/** How much is wrong with what a row of a sheet shows. */
export const WRONG_COLUMN: SheetColumn<{ readonly wrong: Wrong }> = {
  id: 'wrong',
  title: 'Findings',
  width: '72px',
  cell: ({ wrong }) => (
    <span className="flex items-center gap-1">
      <Refusals n={wrong.refusals} />
      <Cautions n={wrong.cautions} />
    </span>
  ),
  order: ({ wrong }) => wrongOrder(wrong),
};
