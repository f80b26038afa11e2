import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { Key } from './controls';

interface MenuEntry {
  readonly words: string;
  /** The key that does the same. */
  readonly keys?: string;
  readonly isPossible?: boolean;
  readonly run: () => void;
}

/** Actions that are not needed all the time, under one button. Lists are kept apart by a line. */
export function ActionMenu({ label, lists }: { label: string; lists: readonly (readonly MenuEntry[])[] }) {
  return (
    <Menu>
      <MenuButton className="inline-flex h-7 items-center rounded border border-line bg-raise px-2.5 text-[13px] whitespace-nowrap text-ink hover:border-dim focus-visible:outline-2 focus-visible:outline-offset-1 focus-visible:outline-jade">
        {label}
      </MenuButton>
      <MenuItems
        anchor={{ to: 'bottom end', gap: 4 }}
        className="z-40 min-w-[240px] rounded border border-edge bg-panel p-1 text-[13px] text-ink focus:outline-none"
      >
        {lists.map((list, n) => (
          <div key={n} role="group" className={n > 0 ? 'mt-1 border-t border-line pt-1' : ''}>
            {list.map((entry) => (
              <MenuItem key={entry.words} disabled={entry.isPossible === false}>
                <button
                  type="button"
                  // The menu closes first and gives the focus back: a dialog that opens takes it from the button, and returns it there.
                  onClick={() => setTimeout(entry.run)}
                  className="flex h-7 w-full items-center justify-between gap-4 rounded px-2 text-left data-disabled:text-faint data-focus:bg-selected"
                >
                  {entry.words}
                  {entry.keys ? (
                    <span className="text-dim">
                      <Key>{entry.keys}</Key>
                    </span>
                  ) : null}
                </button>
              </MenuItem>
            ))}
          </div>
        ))}
      </MenuItems>
    </Menu>
  );
}
