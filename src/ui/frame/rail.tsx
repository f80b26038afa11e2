import { areaOf } from '@/core/findings/areas';
import { PanelLeftClose, PanelLeftOpen } from 'lucide-react';
import Link from 'next/link';
import { usePathname } from 'next/navigation';
import { Cautions, Refusals } from '@/ui/parts/signs';
import { usePlan } from '@/ui/session/plan-store';
import { useShown } from '@/ui/session/shown';
import { useFolded } from './folded';
import { STAGES } from './stages';

export function Rail({ planId }: { planId: string }) {
  const path = usePathname();
  const findings = useShown()?.view.findings ?? [];
  // The other stages are fetched once this one stands: before that they would only keep it waiting.
  const isOpen = usePlan((s) => s.view !== null);
  const [isFolded, setFolded] = useFolded('rail');
  return (
    <nav
      aria-label="Stages"
      className={`row-span-2 flex flex-col border-r border-line py-2.5 max-md:row-span-1 max-md:w-full max-md:flex-row max-md:overflow-x-auto max-md:border-r-0 max-md:border-b max-md:py-0 ${isFolded ? 'w-11' : 'w-[168px]'}`}
    >
      <h2 className={`mx-3.5 mt-1 mb-1 text-[11px] font-medium text-faint max-md:sr-only ${isFolded ? 'sr-only' : ''}`}>
        Plan
      </h2>
      {STAGES.map(({ id, area, title, Icon }) => {
        const href = `/plans/${planId}/${id}`;
        const isHere = path.startsWith(href);
        const own = findings.filter((f) => areaOf(f) === area);
        const refusals = own.filter((f) => f.severity === 'refusal').length;
        const cautions = own.filter((f) => f.severity === 'caution').length;
        return (
          <Link
            key={id}
            href={href}
            prefetch={isOpen}
            aria-current={isHere ? 'page' : undefined}
            title={isFolded ? title : undefined}
            className={`flex h-8 items-center gap-2 px-3.5 max-md:h-full max-md:shrink-0 focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade ${
              isHere ? 'bg-raise text-ink shadow-[inset_2px_0_var(--jade)]' : 'text-dim hover:text-ink'
            }`}
          >
            {isFolded ? <Icon size={16} aria-label={title} /> : <span className="flex-1">{title}</span>}
            {isFolded ? null : (
              <>
                <Refusals n={refusals} />
                <Cautions n={cautions} />
              </>
            )}
          </Link>
        );
      })}
      <button
        type="button"
        onClick={() => setFolded(!isFolded)}
        aria-label={isFolded ? 'Unfold the rail' : 'Fold the rail'}
        className="mt-auto flex h-7 items-center px-3.5 max-md:hidden text-dim hover:text-ink focus-visible:outline-2 focus-visible:outline-jade"
      >
        {isFolded ? <PanelLeftOpen size={16} /> : <PanelLeftClose size={16} />}
      </button>
    </nav>
  );
}
