import { create } from 'zustand';
import { persist } from 'zustand/middleware';

type Part = 'rail' | 'panel';

const useStore = create<{ folded: Partial<Record<Part, boolean>>; set: (part: Part, is: boolean) => void }>()(
  persist((set) => ({ folded: {}, set: (part, is) => set((s) => ({ folded: { ...s.folded, [part]: is } })) }), {
    name: 'jade-lane-folded',
    skipHydration: false,
  }),
);

/** Whether a part of the frame is folded away; kept in the browser. */
export function useFolded(part: Part): readonly [boolean, (is: boolean) => void] {
  const isFolded = useStore((s) => s.folded[part] ?? false);
  const set = useStore((s) => s.set);
  return [isFolded, (is) => set(part, is)];
}
