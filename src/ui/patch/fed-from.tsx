import { clearPatch, patchAsNormalled } from '@/core/edits/fill-patch';
import type { BusSend } from '@/core/patch/bus-sends-table';
import { terminalAt, type SignalEnd } from '@/core/signal/signal-end';
import type { Tap } from '@/core/signal/terminal-shape';
import type { Terminal } from '@/core/signal/terminals';
import type { Plan } from '@/core/plan/plan';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { endWords, terminalChannel } from '@/ui/parts/signal-words';
import { deviceName } from '@/ui/parts/names';
import { commit, commitWithUndo } from '@/ui/session/actions';
import type { PatchChannel } from '@/workers/patch-view';
import { TapSelect } from './tap-select';

/** What feeds the channel: its patch, its sends with their taps, or what comes from outside. */
export function FedFrom({
  plan,
  end,
  terminal,
  channel,
  isPreview,
  onOpen,
}: {
  plan: Plan;
  end: SignalEnd;
  terminal: Terminal;
  channel: PatchChannel;
  isPreview: boolean;
  onOpen: (end: SignalEnd) => void;
}) {
  const { deviceId, terminalId } = end;
  const own = `${terminalId}/${end.channel}`;
  const patch = plan.patches.get(deviceId)?.get(own);
  const sends = [...(plan.busSends.get(deviceId)?.values() ?? [])].filter(
    (s) => s.terminalId === terminalId && s.channel === end.channel,
  );
  const tapsOf = (terminalId: string): readonly Tap[] => terminalAt(plan, { deviceId, terminalId })?.taps ?? [];
  const here = terminalChannel(plan, end);
  const put = (send: BusSend, what: string) => void commit(`${what} of ${here}`, [{ kind: 'put-bus-send', send }]);
  const [feeder] = channel.feeders;
  const isPatchable = terminal.patchFrom.length > 0;
  if (terminal.direction === 'in' && feeder === undefined) return null;
  return (
    <>
      <PanelHeading>{sends.length > 0 ? 'Sends into it' : 'Fed from'}</PanelHeading>
      {sends.length > 0 ? (
        <ul className="flex flex-col gap-1">
          {sends.map((s) => {
            const from = { deviceId, terminalId: s.fromTerminalId, channel: s.fromChannel };
            const words = terminalChannel(plan, from);
            return (
              <li key={`${s.fromTerminalId}/${s.fromChannel}`} className="flex items-center gap-2">
                <button
                  type="button"
                  onClick={() => onOpen(from)}
                  className="min-w-0 flex-1 truncate text-left hover:underline focus-visible:outline-2 focus-visible:outline-jade"
                >
                  {endWords(plan, from).replace(/^[^,]*, /, '')}
                </button>
                {isPreview ? null : (
                  <>
                    <TapSelect
                      label={`Tap of ${words}`}
                      taps={tapsOf(s.fromTerminalId)}
                      value={s.tap}
                      none="default"
                      onSet={(tap) => put({ ...s, tap }, 'tap')}
                      className="h-6! w-[112px]"
                    />
                    <label className="flex items-center gap-1 text-[12px] text-dim">
                      <input
                        type="checkbox"
                        className="accent-jade"
                        aria-label={`Send from ${words} is on`}
                        checked={s.isOn}
                        onChange={(e) => put({ ...s, isOn: e.target.checked }, `send from ${words}`)}
                      />
                      on
                    </label>
                  </>
                )}
              </li>
            );
          })}
        </ul>
      ) : feeder === undefined ? (
        <p className="text-dim">Nothing{patch === undefined ? '' : ', as patched'}.</p>
      ) : (
        <button
          type="button"
          onClick={() => onOpen(feeder)}
          className="text-left hover:underline focus-visible:outline-2 focus-visible:outline-jade"
        >
          {channel.feeders.length > 1
            ? `all ${channel.feeders.length} channels of ${terminalChannel(plan, feeder).replace(/ \d+$/, '')}`
            : feeder.deviceId === deviceId
              ? endWords(plan, feeder).replace(/^[^,]*, /, '')
              : endWords(plan, feeder)}
          <span className="text-dim">{patch === undefined && feeder.deviceId === deviceId ? ' · by default' : ''}</span>
        </button>
      )}
      {isPreview || terminal.direction === 'in' || !(isPatchable || sends.length > 0) ? null : (
        <p className="mt-1.5 flex gap-2">
          <Button
            tone="quiet"
            disabled={clearPatch(plan, [end]).length === 0}
            onClick={() => void commitWithUndo(`clear ${deviceName(plan, deviceId)}, ${here}`, clearPatch(plan, [end]))}
          >
            Clear
          </Button>
          {patch === undefined ? null : (
            <Button
              tone="quiet"
              onClick={() =>
                void commitWithUndo(
                  `patch ${deviceName(plan, deviceId)}, ${here} by default`,
                  patchAsNormalled(plan, [end]),
                )
              }
            >
              Default
            </Button>
          )}
        </p>
      )}
    </>
  );
}
