import type { Plan } from '@/core/plan/plan';
import { commit } from '@/ui/session/actions';
import type { PackedStream, PackedWhy } from '@/workers/reckon-view';
import { Button } from './controls';
import { count } from './units';
import { deviceName } from './names';

const WHY: Readonly<Record<PackedWhy, string>> = {
  held: 'Locked: repacking never touches it.',
  'as-sent': 'Kept as it was sent: an edit never disturbs it.',
  'laid-out': 'So laid out when the plan was repacked.',
  unicast: 'A copy for this one receiver.',
  'like-receivers': 'Together because the same receivers want them.',
  joined: 'Joined with others, as the sender has no more streams to give.',
};

/** What packing chose for a stream and why, and whether it may choose again. */
export function Packed({ plan, packed }: { plan: Plan; packed: PackedStream }) {
  const { senderDeviceId, streamNumber, channels, format } = packed;
  const isHeld = packed.why === 'held';
  const name = `${deviceName(plan, senderDeviceId)} S${streamNumber}`;
  const layout = { senderDeviceId, streamNumber, channels, format, isHeld: true };
  const hold = () =>
    void commit(
      isHeld ? `let go of ${name}` : `hold ${name}`,
      isHeld
        ? [{ kind: 'lay-out-streams', put: [{ ...layout, isHeld: false }], drop: [] }]
        : [{ kind: 'lay-out-streams', put: [layout], drop: [] }],
    );
  return (
    <div className="mt-1">
      <p className="text-dim">
        {WHY[packed.why]}
        {packed.idle > 0 ? ` ${count(packed.idle, 'channel')} in it that no receiver uses any more.` : ''}
      </p>
      {packed.why === 'unicast' ? null : (
        <Button className="mt-1.5" onClick={hold} aria-pressed={isHeld}>
          {isHeld ? 'Unlock stream' : 'Lock stream'}
        </Button>
      )}
    </div>
  );
}
