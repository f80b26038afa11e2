import { BudgetBar, WRONG_COLUMN } from '@/ui/parts/signs';
import type { SheetDeclaration } from '@/ui/parts/sorted-sheet';
import { liveWords } from '@/ui/parts/loss-words';
import { kHz } from '@/ui/parts/units';
import { needsLook } from '@/ui/session/losses';
import type { Count } from '@/core/reckon/reckoning';
import type { GearRow } from './gear-rows';

/** Devices and their limits. */
export const DEVICES: SheetDeclaration<GearRow> = {
  label: 'Devices',
  idPrefix: 'gear',
  keyOf: (r) => r.device.id,
  first: { column: 'place', isDescending: false },
  columns: [
    { id: 'name', title: 'Device', width: 'minmax(132px,1.3fr)', cell: (r) => r.device.name },
    { id: 'model', title: 'Model', width: 'minmax(98px,1fr)', tone: 'dim', cell: (r) => r.model?.name },
    { id: 'place', title: 'Place', width: 'minmax(84px,0.8fr)', tone: 'dim', cell: (r) => r.place },
    {
      id: 'addressA',
      title: 'Address, leg A',
      width: '106px',
      tone: 'mono',
      cell: (r) => r.addressA || <span className="text-dim">none</span>,
      order: (r) => r.addressA,
    },
    {
      id: 'rate',
      title: 'kHz',
      width: '44px',
      isNumber: true,
      cell: (r) => (r.model && r.model.ratesHz.length > 0 ? kHz(r.device.rateHz) : ''),
      order: (r) => r.device.rateHz,
    },
    {
      id: 'in',
      title: 'Channels in',
      width: 'minmax(86px,0.7fr)',
      cell: (r) => <Used count={r.budget?.channelsReceive} label={`${r.device.name}: receiver channels`} />,
      order: (r) => r.budget?.channelsReceive.used ?? 0,
    },
    {
      id: 'out',
      title: 'Channels out',
      width: 'minmax(90px,0.7fr)',
      cell: (r) => <Used count={r.budget?.channelsSend} label={`${r.device.name}: sender channels`} />,
      order: (r) => r.budget?.channelsSend.used ?? 0,
    },
    {
      id: 'field',
      title: 'Field',
      width: '78px',
      tone: 'dim',
      cell: (r) => {
        if (r.live.is === 'not-followed') return '';
        if (r.live.is === 'offline') return <span className="text-ochre">offline</span>;
        return needsLook(r.live) ? <span className="text-ochre">{liveWords(r.live)}</span> : liveWords(r.live);
      },
      hint: (r) => (r.live.is === 'not-followed' ? undefined : liveWords(r.live)),
      order: (r) => `${r.live.is === 'offline' ? 0 : 1} ${liveWords(r.live)}`,
    },
    { ...WRONG_COLUMN, width: '70px' },
  ],
};

function Used({ count, label }: { count: Count | undefined; label: string }) {
  if (count === undefined || count.limit === 0) return null;
  return (
    <span className="flex items-center gap-1.5 font-mono text-[12px]">
      <BudgetBar used={count.used} limit={count.limit} label={label} narrow />
      {count.used}/{count.limit}
    </span>
  );
}
