import type { Device } from '@/core/plan/devices-table';
import { count } from './units';
import { namesInShort } from './like-lines';

/** How many devices are selected, and which. */
export function SeveralHeading({ devices, what = 'device' }: { devices: readonly Device[]; what?: string }) {
  const names = devices.map((d) => d.name);
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
