import Link from 'next/link';
import { modelDifferences } from '@/core/models/model-differences';
import type { Model } from '@/core/models/models-table';
import { unknownFiguresOf } from '@/core/models/unknown-figures';
import type { Plan } from '@/core/plan/plan';
import { useLibrary } from '@/ui/session/library';
import { usePlan } from '@/ui/session/plan-store';
import { PanelHeading } from './controls';
import { count } from './units';

/** Which model a device has, what is to know about it, and the way to its figures. */
export function ModelLink({
  plan,
  model,
  section = null,
}: {
  plan: Plan;
  model: Model;
  /** Where among the figures one would begin. */
  section?: 'clock' | 'switching' | null;
}) {
  const planId = usePlan((s) => s.planId) ?? '';
  const kept = useLibrary().get(model.id)?.model ?? null;
  const devices = [...plan.devices.values()].filter((d) => d.modelId === model.id).length;
  const unknown = unknownFiguresOf(model).length;
  const differing = kept === null ? 0 : modelDifferences(model, kept).length;
  const href = `/plans/${planId}/gear?models=1&model=${encodeURIComponent(model.id)}&edit=1${section === null ? '' : `#section-${section}`}`;
  return (
    <>
      <PanelHeading>Model</PanelHeading>
      <p>
        <Link href={href} className="underline hover:text-jade focus-visible:outline-2 focus-visible:outline-jade">
          {model.name}
        </Link>
        <span className="text-dim">, {count(devices, 'device')}: its figures and limits.</span>
      </p>
      {unknown > 0 ? <p className="text-ochre">{count(unknown, 'figure')} not known.</p> : null}
      {differing > 0 ? <p className="text-violet">The library’s differs in {count(differing, 'figure')}.</p> : null}
    </>
  );
}
