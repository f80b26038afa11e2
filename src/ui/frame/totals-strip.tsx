'use client';

import { bits, ms, percent } from '@/ui/parts/units';
import { usePlan } from '@/ui/session/plan-store';
import { useShown } from '@/ui/session/shown';

/** The plan in one line. While a preview is open each figure says by how much it would change. */
export function TotalsStrip() {
  const shown = useShown();
  const base = usePlan((s) => s.view?.totals);
  const preview = usePlan((s) => s.preview);
  const plan = shown?.plan;
  const now = shown?.view.totals;
  return (
    <footer
      aria-label="Totals"
      className="col-span-2 flex items-center justify-between gap-5 overflow-hidden border-t border-line bg-panel px-3.5 whitespace-nowrap text-dim"
    >
      {now === undefined || base === undefined ? null : (
        <>
          {/* What is counted last is cut first; refusals always stand. */}
          <span className="flex min-w-0 items-center gap-5 overflow-hidden">
            <Figure name="Streams" value={String(now.streams)} change={now.streams - base.streams} />
            <Figure
              name="Channels"
              value={`${now.channels.used} of ${now.channels.limit}`}
              change={now.channels.used - base.channels.used}
            />
            <Figure
              name="Sent"
              value={bits(now.sentBitsPerSecond)}
              change={now.sentBitsPerSecond - base.sentBitsPerSecond}
              word={(n) => bits(n)}
            />
            {now.busiest === null ? null : (
              <Figure
                name="Busiest link"
                value={percent(now.busiest.share)}
                change={Math.round((now.busiest.share - (base.busiest?.share ?? 0)) * 10_000) / 10_000}
                word={percent}
              />
            )}
            <Figure
              name="Longest link offset"
              value={`${ms(now.longestOffsetNs)} ms`}
              change={now.longestOffsetNs - base.longestOffsetNs}
              word={(n) => `${ms(n)} ms`}
            />
            {plan === undefined || now.grandmasterId === null ? null : (
              <span className={now.grandmasterId === base.grandmasterId ? '' : 'text-violet'}>
                Grandmaster{' '}
                <b className="font-medium text-ink">{plan.devices.get(now.grandmasterId)?.name ?? now.grandmasterId}</b>
              </span>
            )}
            {preview !== null ? (
              <span className="text-jade" role="status">
                Preview: {preview.result.newStreamIds.length} new, {preview.result.disturbedStreamIds.length}{' '}
                interrupted
              </span>
            ) : null}
          </span>
          <span className={`shrink-0 ${now.refusals > 0 ? 'text-madder' : ''}`} data-testid="refusals">
            {now.refusals === 0 ? 'No refusals' : `${now.refusals} refusal${now.refusals === 1 ? '' : 's'}`}
            <Change n={now.refusals - base.refusals} />
          </span>
        </>
      )}
    </footer>
  );
}

function Figure({
  name,
  value,
  change,
  word = String,
}: {
  name: string;
  value: string;
  change: number;
  word?: (n: number) => string;
}) {
  return (
    <span>
      {name} <b className="font-mono font-medium text-ink">{value}</b>
      <Change n={change} word={word} />
    </span>
  );
}

function Change({ n, word = String }: { n: number; word?: (n: number) => string }) {
  if (n === 0) return null;
  return (
    <span className="ml-1 font-mono text-violet">
      {n > 0 ? '+' : '−'}
      {word(Math.abs(n))}
    </span>
  );
}
