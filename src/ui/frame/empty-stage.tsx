import Link from 'next/link';
import type { ReactNode } from 'react';

/** In the place of a stage that has nothing to show yet: what the stage is for, and what to begin with. */
export function EmptyStage({
  title,
  children,
  begin = null,
}: {
  title: string;
  children: ReactNode;
  begin?: ReactNode;
}) {
  return (
    <div className="max-w-[520px] p-8">
      <h2 className="text-[16px] font-semibold">{title}</h2>
      <p className="mt-2 text-dim">{children}</p>
      {begin === null ? null : <p className="mt-4 flex items-center gap-2">{begin}</p>}
    </div>
  );
}

/** The way to the gear, where a plan has no device yet. */
export const FirstDevices = ({ planId }: { planId: string }) => (
  <Link
    href={`/plans/${planId}/gear?add=1`}
    className="inline-flex h-7 items-center rounded border border-jade bg-jade px-2.5 font-medium text-on-jade focus-visible:outline-2 focus-visible:outline-offset-1 focus-visible:outline-jade"
  >
    Add the first devices
  </Link>
);
