import { AREAS, areaOf, type Area } from '@/core/findings/areas';
import Link from 'next/link';
import { useMemo, useState } from 'react';
import type { Finding, Severity } from '@/core/findings/finding';
import type { Plan } from '@/core/plan/plan';
import { Modal, SelectField } from '@/ui/parts/controls';
import { filtered, searchFor } from '@/ui/parts/find-text';
import { lossWords, sinceWords } from '@/ui/parts/loss-words';
import { isInPlace } from '@/ui/parts/place';
import { count } from '@/ui/parts/units';
import { findingTitle } from '@/ui/parts/finding-words';
import { AREA_OF_LOSS, useLosses, type Loss } from '@/ui/session/losses';
import { usePlan } from '@/ui/session/plan-store';
import { useShown } from '@/ui/session/shown';
import { lossHref, lostLanesHref, lostLanesWords } from './losses-list';
import { findingHref, stageOf, STAGES } from './stages';
import { PlaceOptions } from '@/ui/parts/place-options';
import { FilterField } from '@/ui/parts/filter-field';

type Weight = 'lost' | Severity;

interface Point {
  readonly key: string;
  readonly weight: Weight;
  readonly area: Area;
  readonly placeIds: readonly (string | null)[];
  readonly words: string;
  readonly href: string;
}

const WEIGHTS: readonly Weight[] = ['lost', 'refusal', 'caution', 'note'];
const WEIGHT_WORDS = { lost: 'Lost', refusal: 'Refusal', caution: 'Caution', note: 'Note' } as const;
const WEIGHT_TONE = {
  lost: 'text-ochre',
  refusal: 'text-madder',
  caution: 'text-ochre',
  note: 'text-dim',
} as const;
const ROWS_MAX = 200;

/** Everything that is open in a plan, from what is lost now to notes, at its weight. */
function pointsOf(plan: Plan, planId: string, findings: readonly Finding[], losses: readonly Loss[]): Point[] {
  const placeOf = (deviceId: string) => plan.devices.get(deviceId)?.placeId ?? null;
  const devicesOfLoss = (loss: Loss): string[] => {
    if ('deviceId' in loss) return [loss.deviceId];
    const link = loss.kind === 'cable' ? plan.links.get(loss.linkId) : undefined;
    return link === undefined ? [] : [link.from.deviceId, link.to.deviceId];
  };
  const points = [
    ...losses.map((loss) => ({
      key: loss.key,
      weight: 'lost' as const,
      area: AREA_OF_LOSS[loss.kind],
      placeIds: devicesOfLoss(loss).map(placeOf),
      words: `${lossWords(plan, loss)}${loss.since === null ? '' : `, ${sinceWords(loss.since)}`}`,
      href: lossHref(planId, loss),
    })),
    ...findings.map((finding) => ({
      key: finding.id,
      weight: finding.severity,
      area: areaOf(finding),
      placeIds: finding.deviceIds.map(placeOf),
      words: findingTitle(plan, finding),
      href: findingHref(planId, finding),
    })),
  ];
  const rank = (p: Point) => WEIGHTS.indexOf(p.weight) * STAGES.length + STAGES.indexOf(stageOf(p.area));
  return points.sort((a, b) => rank(a) - rank(b));
}

/** One list of everything that is wrong or lost, behind the totals: each entry opens where it belongs. */
export function OpenPoints({ onClose }: { onClose: () => void }) {
  const planId = usePlan((s) => s.planId) ?? '';
  const shown = useShown();
  const losses = useLosses();
  const [text, setText] = useState('');
  const [weight, setWeight] = useState<Weight | ''>('');
  const [area, setArea] = useState<Area | ''>('');
  const [place, setPlace] = useState('');
  const points = useMemo(
    () => (shown === null ? [] : pointsOf(shown.plan, planId, shown.view.findings, losses.all)),
    [shown, planId, losses],
  );
  if (shown === null) return null;
  const { plan } = shown;
  const chosen = points.filter(
    (p) =>
      (weight === '' || p.weight === weight) &&
      (area === '' || p.area === area) &&
      (place === '' || p.placeIds.some((id) => isInPlace(plan, id, place))),
  );
  const passing = filtered(chosen, searchFor(text), (p) => p.words);
  const lanes = lostLanesWords(losses);
  const counts = WEIGHTS.map((w) => [w, points.filter((p) => p.weight === w).length] as const);
  return (
    <Modal title="Findings and losses" onClose={onClose} wide>
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <FilterField autoFocus what="findings" value={text} onChange={setText} className="w-[150px]" />
        <SelectField aria-label="Severity" value={weight} onChange={(e) => setWeight(e.target.value as Weight | '')}>
          <option value="">any severity</option>
          {counts.map(([w, n]) => (
            <option key={w} value={w}>
              {WEIGHT_WORDS[w].toLowerCase()} ({n})
            </option>
          ))}
        </SelectField>
        <SelectField aria-label="Stage" value={area} onChange={(e) => setArea(e.target.value as Area | '')}>
          <option value="">any stage</option>
          {AREAS.map((a) => (
            <option key={a} value={a}>
              {stageOf(a).title}
            </option>
          ))}
        </SelectField>
        <SelectField
          aria-label="Place of the finding"
          value={place}
          onChange={(e) => setPlace(e.target.value)}
          className="max-w-[170px]"
        >
          <option value="">any place</option>
          <PlaceOptions places={plan.places.values()} />
        </SelectField>
        <span className="ml-auto text-dim" aria-live="polite">
          {passing.length === points.length
            ? count(points.length, 'entry', 'entries')
            : `${passing.length} of ${points.length}`}
        </span>
      </div>
      {lanes === null ? null : (
        <p className="mb-2">
          <Link
            href={lostLanesHref(planId, losses)}
            onClick={onClose}
            className="text-ochre underline underline-offset-2"
          >
            {lanes}
          </Link>
        </p>
      )}
      {passing.length === 0 ? (
        <p className="text-dim">
          {points.length === 0 ? 'Nothing is wrong with the plan, and nothing is lost.' : 'Nothing passes this filter.'}
        </p>
      ) : (
        <ul
          aria-label="Findings and losses"
          tabIndex={0}
          className="max-h-[52vh] overflow-y-auto focus-visible:outline-2 focus-visible:outline-jade"
        >
          {passing.slice(0, ROWS_MAX).map((p) => (
            <li key={p.key} className="border-t border-line/60">
              <Link
                href={p.href}
                onClick={onClose}
                className="flex items-baseline gap-2 px-1 py-1 hover:bg-raise focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade"
              >
                <span className={`w-[60px] shrink-0 ${WEIGHT_TONE[p.weight]}`}>{WEIGHT_WORDS[p.weight]}</span>
                <span className="min-w-0 flex-1">{p.words}</span>
                <span className="shrink-0 text-[12px] text-dim">{stageOf(p.area).title}</span>
              </Link>
            </li>
          ))}
        </ul>
      )}
      {passing.length > ROWS_MAX ? (
        <p className="mt-1 text-dim">{passing.length - ROWS_MAX} more: filter to see them.</p>
      ) : null}
    </Modal>
  );
}
