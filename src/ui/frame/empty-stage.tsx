import Link from 'next/link';
import type { ReactNode } from 'react';

/** In the place of a stage for which the plan has no device yet: what the stage is for, and the way to the gear. */
export function EmptyStage({ planId, title, children }: { planId: string; title: string; children: ReactNode }) {
  return (
    <div className="max-w-[520px] p-8">
      <h2 className="text-[16px] font-semibold">{title}</h2>
      <p className="mt-2 text-dim">{children}</p>
      <Link
        href={`/plans/${planId}/gear?add=1`}
        className="mt-4 inline-flex h-7 items-center rounded border border-jade bg-jade px-2.5 font-medium text-on-jade focus-visible:outline-2 focus-visible:outline-offset-1 focus-visible:outline-jade"
      >
        Add the first devices
      </Link>
    </div>
  );
}
