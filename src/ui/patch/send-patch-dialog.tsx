import { useQuery } from '@tanstack/react-query';
import type { Plan } from '@/core/plan/plan';
import type { PatchLeft, PatchLeftWhy } from '@/field/patch-work';
import type { PatchReport } from '@/field/send-patches';
import type { PatchPreview } from '@/server/send-patches';
import { Button } from '@/ui/parts/controls';
import { runWords } from '@/ui/parts/signal-words';
import { count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { DeviceReports } from '@/ui/sending/device-reports';
import { SendingDialog, SendingProblem } from '@/ui/sending/sending-dialog';
import { thisAuthor } from '@/ui/session/author';
import { ask, askTelling } from '@/ui/session/ask';
import { PatchDifferences } from './patch-difference';

const LEFT_WORDS: Readonly<Record<PatchLeftWhy, string>> = {
  'device-missing': 'it is not online',
  'device-contested': 'several nodes claim to be it: nothing is written to any of them',
  'device-elsewhere': 'another plan runs it: take it over first',
  'device-foreign': 'its patch is read-only (managed elsewhere)',
  'not-offered': 'the device cannot be patched remotely: patch it there, and tick it off',
  'not-routable': 'the device does not allow this source',
  'breaks-block': 'the device takes whole blocks only',
};

/** What patching devices as planned would change, then doing it, then what each made of it. */
export function SendPatchDialog({
  planId,
  plan,
  deviceIds,
  onClose,
}: {
  planId: string;
  plan: Plan;
  deviceIds: readonly string[];
  onClose: () => void;
}) {
  const preview = useQuery({
    queryKey: ['patch-preview', planId, deviceIds],
    queryFn: () => ask('POST /api/plans/:planId/send-patches/preview', { planId, body: { deviceIds } }),
    gcTime: 0,
  });
  const work = preview.data;
  const canSend = work !== undefined && work.devices.length > 0;
  const [first = ''] = deviceIds;
  const of = deviceIds.length === 1 ? deviceName(plan, first) : count(deviceIds.length, 'device');
  return (
    <SendingDialog<readonly string[], PatchReport>
      title={`Send the patch of ${of}`}
      planId={planId}
      plan={plan}
      isReady={canSend}
      onClose={onClose}
      send={({ wanted, isRetry, id }, tell) =>
        askTelling(
          'POST /api/plans/:planId/send-patches',
          { planId, body: { deviceIds: wanted, author: thisAuthor(), isRetry, id } },
          tell,
        )
      }
      reported={(report) => (
        <>
          <DeviceReports report={report} plan={plan} />
          <Left left={report.left} plan={plan} />
        </>
      )}
      againOf={({ devices, notBegun }) => [
        ...new Set([...devices.filter((d) => d.failed.length > 0).map((d) => d.deviceId), ...notBegun]),
      ]}
    >
      {(start, main) => (
        <>
          {preview.isPending ? <p role="status">Looking at the devices …</p> : null}
          {preview.error ? <SendingProblem error={preview.error} /> : null}
          {work ? <Work work={work} plan={plan} /> : null}
          <p className="mt-3 text-dim">
            Each device changes in one step. Where devices feed one another, channels that would carry a wrong sound
            meanwhile are off until all have changed; if one fails, all of them go back to what they were.
          </p>
          <div className="mt-3 flex justify-end gap-2">
            <Button ref={main} onClick={onClose}>
              Cancel
            </Button>
            <Button tone="main" disabled={!canSend} onClick={() => start(work?.devices.map((d) => d.deviceId) ?? [])}>
              Send patch
            </Button>
          </div>
        </>
      )}
    </SendingDialog>
  );
}

function Work({ work, plan }: { work: PatchPreview; plan: Plan }) {
  return (
    <div
      className="flex max-h-[46vh] flex-col gap-2 overflow-y-auto"
      tabIndex={0}
      role="region"
      aria-label="What would be sent"
    >
      {work.devices.length === 0 ? <p>There is nothing to send: what can be patched is as planned.</p> : null}
      {work.devices.map(({ deviceId, changes, off, exposed }) => (
        <div key={deviceId}>
          <p>
            <b className="font-medium">{deviceName(plan, deviceId)}</b> changes {count(changes.length, 'channel')}
            {off > 0 ? `; ${off} of them off while other devices change` : ''}
          </p>
          {exposed.length > 0 ? (
            <p className="text-ochre">
              {count(exposed.length, 'channel')} may carry a wrong sound for a moment: this device cannot turn{' '}
              {exposed.length === 1 ? 'it' : 'them'} off.
            </p>
          ) : null}
          <PatchDifferences plan={plan} deviceId={deviceId} differences={changes} />
        </div>
      ))}
      <Left left={work.left} plan={plan} />
    </div>
  );
}

/** What stays as it is, each with why. */
function Left({ left, plan }: { left: readonly PatchLeft[]; plan: Plan }) {
  if (left.length === 0) return null;
  const groups = new Map<string, { words: string; why: PatchLeftWhy; channels: number[]; of: PatchLeft }>();
  for (const one of left) {
    const key = `${one.deviceId}|${one.channel?.terminalId ?? ''}|${one.why}`;
    const known = groups.get(key);
    if (known === undefined) {
      const channels = one.channel === null ? [] : [one.channel.channel];
      groups.set(key, { words: LEFT_WORDS[one.why], why: one.why, channels, of: one });
    } else if (one.channel !== null) known.channels.push(one.channel.channel);
  }
  return (
    <div>
      <p className="text-ochre">Not sent:</p>
      <ul>
        {[...groups].map(([key, { words, channels, of }]) => (
          <li key={key}>
            {of.channel === null
              ? deviceName(plan, of.deviceId)
              : runWords(plan, of.deviceId, of.channel.terminalId, channels)}
            : {words}
          </li>
        ))}
      </ul>
    </div>
  );
}
