import { linkName, usableOf } from '@/ui/parts/network-words';
import { bits, count, ms, percent } from '@/ui/parts/units';
import { useLosses } from '@/ui/session/losses';
import { useBefore, useShown } from '@/ui/session/shown';
import { openDialog } from './frame-dialog';

/** The plan in one line. While a preview is open each figure says by how much it would change. */
export function TotalsStrip() {
  const shown = useShown();
  const base = useBefore()?.totals;
  const plan = shown?.plan;
  const now = shown?.view.totals;
  const busiestLink = now?.busiest ? plan?.links.get(now.busiest.linkId) : undefined;
  const busiestHint =
    plan === undefined || busiestLink === undefined
      ? undefined
      : `${linkName(plan, busiestLink)}: of ${usableOf(busiestLink)}`;
  const losses = useLosses();
  return (
    <footer
      aria-label="Totals"
      className="col-span-2 flex items-center justify-between max-md:col-span-1 max-md:px-2 gap-5 overflow-hidden border-t border-line bg-panel px-3.5 whitespace-nowrap text-dim"
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
                hint={busiestHint}
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
          </span>
          <button
            type="button"
            onClick={() => openDialog('findings')}
            title="All findings and losses"
            className={`shrink-0 rounded px-1.5 underline-offset-2 hover:underline focus-visible:outline-2 focus-visible:outline-jade ${now.refusals > 0 ? 'text-madder' : ''}`}
            data-testid="refusals"
          >
            {now.refusals === 0 ? 'No refusals' : count(now.refusals, 'refusal')}
            <Change n={now.refusals - base.refusals} />
            {now.cautions > 0 ? <span className="text-ochre">, {count(now.cautions, 'caution')}</span> : null}
            {losses.all.length > 0 ? <span className="text-ochre">, {losses.all.length} lost</span> : null}
          </button>
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
  hint,
}: {
  name: string;
  value: string;
  change: number;
  word?: (n: number) => string;
  hint?: string | undefined;
}) {
  return (
    <span title={hint}>
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
