'use client';

import type { Device } from '@/core/plan/devices-table';
import type { Plan } from '@/core/plan/plan';
import { count } from './units';
import { namesInShort } from './like-lines';

/** How many devices are selected, and which. */
export function SeveralHeading({
  plan,
  devices,
  what = 'device',
}: {
  plan: Plan;
  devices: readonly Device[];
  what?: string;
}) {
  const names = devices.map((d) => plan.devices.get(d.id)?.name ?? d.id);
  return (
    <>
      <h2 className="pr-7 text-[14px] font-semibold">
        {count(names.length, what, what === 'switch' ? 'switches' : `${what}s`)} selected
      </h2>
      <p className="text-dim" title={names.join(', ')}>
        {namesInShort(names)}
      </p>
    </>
  );
}
