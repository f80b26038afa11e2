import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { toast } from 'sonner';
import type { DeviceElsewhere } from '@/server/take-over';
import { Button, Modal } from '@/ui/parts/controls';
import { LookedAt } from '@/ui/parts/looked-at';
import { deviceName } from '@/ui/parts/names';
import { reportProblem } from '@/ui/parts/report-problem';
import { count } from '@/ui/parts/units';
import { SendingProblem } from '@/ui/sending/sending-dialog';
import { ask } from '@/ui/session/ask';
import { thisAuthor } from '@/ui/session/author';
import { usePlan } from '@/ui/session/plan-store';

/** Devices that another plan runs: what each plan wants of them, and the step by which this plan runs them from now on. */
export function TakeOverDialog({ onClose }: { onClose: () => void }) {
  const plan = usePlan((s) => s.plan);
  const planId = usePlan((s) => s.planId) ?? '';
  const elsewhere = useQuery({
    queryKey: ['elsewhere', planId],
    queryFn: () => ask('GET /api/plans/:planId/take-over', { planId }),
    gcTime: 0,
  });
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const taking = useMutation({
    mutationFn: (ids: readonly string[]) =>
      ask('POST /api/plans/:planId/take-over', { planId, body: { deviceIds: ids, author: thisAuthor() } }),
    onSuccess: (_, ids) => {
      toast(`This plan runs ${count(ids.length, 'device')} now`);
      onClose();
    },
    onError: (error) => reportProblem(error, 'Not taken over'),
  });
  if (plan === null) return null;
  const devices = elsewhere.data?.devices ?? [];
  const chosen = devices.filter((d) => !left.has(d.deviceId)).map((d) => d.deviceId);
  const differing = devices.filter((d) => !left.has(d.deviceId)).reduce((sum, d) => sum + differences(d), 0);
  const names = [...new Set(devices.map((d) => d.runBy.name))].join(', ');
  const toggle = (id: string) =>
    setLeft((is) => (is.has(id) ? new Set([...is].filter((x) => x !== id)) : new Set([...is, id])));
  return (
    <Modal title="Take over devices" onClose={onClose} wide>
      {elsewhere.isPending ? <p role="status">Comparing the plans …</p> : null}
      {elsewhere.error ? <SendingProblem error={elsewhere.error} /> : null}
      {elsewhere.data && devices.length === 0 ? <p>This plan runs every device that is bound to it.</p> : null}
      {devices.length === 0 ? null : (
        <>
          <p className="mb-2 text-dim">
            A device is run by one plan at a time. These are run by {names}: edit here as you like, but nothing is sent
            to them from this plan until it takes them over. Taking over sends nothing: streams that carry keep their
            numbers, groups and receivers, and lanes that differ stay as they are until you send them.
          </p>
          <LookedAt
            label="Devices run by another plan"
            columns={[
              'Device',
              'Run by',
              { title: 'Streams sent', width: 'w-[92px] text-right' },
              { title: 'Same lanes', width: 'w-[84px] text-right' },
              { title: 'Differ', width: 'w-[56px] text-right' },
              { title: 'Only there', width: 'w-[76px] text-right' },
              { title: 'Only here', width: 'w-[72px] text-right' },
            ]}
          >
            {devices.map((d) => (
              <tr key={d.deviceId} className="border-t border-line/60">
                <td>
                  <label className="flex items-center gap-1.5">
                    <input
                      type="checkbox"
                      className="accent-jade"
                      checked={!left.has(d.deviceId)}
                      onChange={() => toggle(d.deviceId)}
                    />
                    {deviceName(plan, d.deviceId)}
                  </label>
                </td>
                <td className="text-dim">{d.runBy.name}</td>
                {[d.streams, d.alike, d.otherwise, d.onlyThere, d.onlyHere].map((n, at) => (
                  <td
                    // The columns stand in a fixed order.
                    key={at}
                    className={`text-right font-mono text-[12px] ${at > 1 && n > 0 ? 'text-violet' : ''}`}
                  >
                    {n === 0 ? '' : n}
                  </td>
                ))}
              </tr>
            ))}
          </LookedAt>
          <p className="mt-2" role="status">
            {differing === 0
              ? 'Both plans are the same for these devices.'
              : `${count(differing, 'lane')} will differ from what carries until you send ${differing === 1 ? 'it' : 'them'}.`}
          </p>
        </>
      )}
      <div className="mt-3 flex justify-end gap-2">
        <Button onClick={onClose}>{devices.length === 0 ? 'Close' : 'Cancel'}</Button>
        {devices.length === 0 ? null : (
          <Button tone="main" disabled={chosen.length === 0 || taking.isPending} onClick={() => taking.mutate(chosen)}>
            Take over {count(chosen.length, 'device')}
          </Button>
        )}
      </div>
    </Modal>
  );
}

const differences = ({ otherwise, onlyThere, onlyHere }: DeviceElsewhere) => otherwise + onlyThere + onlyHere;
