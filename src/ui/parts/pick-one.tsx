import { Combobox, ComboboxButton, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/react';
import { ChevronDown } from 'lucide-react';
import { useEffect, useId, useRef, useState } from 'react';
import { bestFirst, searchFor, type Search } from './find-text';

export interface Pickable {
  readonly id: string;
  readonly words: string;
  readonly detail?: string;
  /** Other words by which it is found. */
  readonly also?: string;
}

const SHOWN_MAX = 60;

/** What is called so itself before what only is of that kind or stands there. */
const namedFirst = (found: readonly Pickable[], search: Search): readonly Pickable[] => {
  const isNamed = (o: Pickable) => search.rank(o.words) > 0;
  return [...found.filter(isNamed), ...found.filter((o) => !isNamed(o))];
};

/**
 * One of many, found by a few letters. The list opens as one types, with the arrow keys or a press on the field, and shows all of them until one types. With
 * `made`, what is typed and not there may be chosen too.
 */
export function PickOne({
  label,
  value,
  options,
  onPick,
  made,
  autoFocus = false,
}: {
  label: string;
  value: string;
  options: readonly Pickable[];
  onPick: (id: string) => void;
  /** What would be made of what is typed; null: nothing. */
  made?: (typed: string) => Pickable | null;
  autoFocus?: boolean;
}) {
  const id = useId();
  const opener = useRef<HTMLButtonElement>(null);
  const input = useRef<HTMLInputElement>(null);
  // The field has the focus before it has its text: what is typed first is to take the text's place.
  useEffect(() => {
    if (document.activeElement === input.current) input.current?.select();
  }, []);
  const [typed, setTyped] = useState<string | null>(null);
  const search = searchFor(typed ?? '');
  const found =
    typed === null || search.isEmpty
      ? options
      : namedFirst(
          bestFirst(options, search, (o) => `${o.words} ${o.detail ?? ''} ${o.also ?? ''}`),
          search,
        );
  const isThere = options.some((o) => o.words.toLowerCase() === (typed ?? '').trim().toLowerCase());
  const extra = typed === null || typed.trim() === '' || isThere ? null : (made?.(typed.trim()) ?? null);
  const shown = [...found.slice(0, SHOWN_MAX), ...(extra === null ? [] : [extra])];
  const chosen = options.find((o) => o.id === value) ?? made?.(value) ?? null;
  return (
    <div className="flex flex-col gap-1 text-[12px] text-dim">
      <label htmlFor={id}>{label}</label>
      <Combobox
        value={value}
        onChange={(next: string | null) => {
          if (next !== null) onPick(next);
          setTyped(null);
        }}
        onClose={() => setTyped(null)}
      >
        <span className="relative">
          <ComboboxInput
            id={id}
            ref={input}
            autoFocus={autoFocus}
            autoComplete="off"
            displayValue={() => chosen?.words ?? ''}
            onFocus={(e) => e.target.select()}
            onClick={(e) => e.currentTarget.getAttribute('aria-expanded') === 'true' || opener.current?.click()}
            onChange={(e) => setTyped(e.target.value)}
            className="h-7 w-full rounded border border-edge bg-bg pr-7 pl-2 text-[13px] text-ink focus-visible:outline-2 focus-visible:outline-jade"
          />
          <ComboboxButton ref={opener} className="absolute inset-y-0 right-0 px-1.5" aria-hidden="true">
            <ChevronDown size={14} aria-hidden="true" />
          </ComboboxButton>
        </span>
        <ComboboxOptions
          anchor={{ to: 'bottom start', gap: 2 }}
          className="z-50 w-(--input-width) [--anchor-max-height:280px] min-w-[300px] overflow-y-auto rounded border border-edge bg-panel p-1 text-[13px] text-ink empty:hidden"
        >
          {shown.map((option) => (
            <ComboboxOption
              key={option.id}
              value={option.id}
              className="flex min-h-7 cursor-default items-center justify-between gap-4 rounded px-2 data-focus:bg-selected data-selected:font-medium"
            >
              <span className="truncate">{option.words}</span>
              {option.detail === undefined ? null : (
                <span className="shrink-0 text-[12px] text-dim">{option.detail}</span>
              )}
            </ComboboxOption>
          ))}
          {found.length > SHOWN_MAX ? (
            <p className="px-2 py-1 text-[12px] text-dim">{found.length - SHOWN_MAX} more: type a few letters</p>
          ) : null}
        </ComboboxOptions>
      </Combobox>
    </div>
  );
}
