import type { FoundFeed, PatchDifference } from '@/core/patch/patch-in-field';
import type { Plan } from '@/core/plan/plan';
import { terminalChannel } from '@/ui/parts/signal-words';

/** What feeds a channel, in words. */
function feedWords(plan: Plan, deviceId: string, feed: FoundFeed | null): string {
  if (feed === null) return 'nothing';
  return 'terminalId' in feed ? terminalChannel(plan, { deviceId, ...feed }) : `${feed.input} ${feed.channel}`;
}

/** So many are listed one by one. */
const LISTED_MAX = 12;

/** Channels that a device feeds otherwise than planned: what feeds each now, and what is to. */
export function PatchDifferences({
  plan,
  deviceId,
  differences,
  onOpen,
}: {
  plan: Plan;
  deviceId: string;
  differences: readonly PatchDifference[];
  onOpen?: (difference: PatchDifference) => void;
}) {
  return (
    <ul className="flex flex-col gap-0.5">
      {differences.slice(0, LISTED_MAX).map((d) => {
        const channel = terminalChannel(plan, { deviceId, terminalId: d.terminalId, channel: d.channel });
        return (
          <li key={`${d.terminalId}/${d.channel}`} className="text-[12px]">
            {onOpen === undefined ? (
              <span className="font-medium">{channel}</span>
            ) : (
              <button
                type="button"
                onClick={() => onOpen(d)}
                className="font-medium hover:underline focus-visible:outline-2 focus-visible:outline-jade"
              >
                {channel}
              </button>
            )}
            <span className="text-dim">
              : {feedWords(plan, deviceId, d.found)} in the field, planned {feedWords(plan, deviceId, d.planned)}
            </span>
          </li>
        );
      })}
      {differences.length > LISTED_MAX ? (
        <li className="text-[12px] text-dim">and {differences.length - LISTED_MAX} more</li>
      ) : null}
    </ul>
  );
}
