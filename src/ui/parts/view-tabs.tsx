/** Where a key leads from one tab; null: nowhere. From the last one goes on at the first. */
function tabAt(key: string, from: number, count: number): number | null {
  switch (key) {
    case 'ArrowRight':
      return (from + 1) % count;
    case 'ArrowLeft':
      return (from + count - 1) % count;
    case 'Home':
      return 0;
    case 'End':
      return count - 1;
    default:
      return null;
  }
}

/** The views of a stage, side by side: one Tab stop, the arrow keys go from one to the next. */
export function ViewTabs<V extends string>({
  label,
  views,
  titles,
  value,
  onChoose,
}: {
  label: string;
  views: readonly V[];
  titles: Readonly<Record<V, string>>;
  value: V;
  onChoose: (view: V) => void;
}) {
  return (
    <div
      role="tablist"
      aria-label={label}
      className="flex h-full items-stretch"
      onKeyDown={(e) => {
        const to = tabAt(e.key, views.indexOf(value), views.length);
        const next = to === null ? undefined : views[to];
        if (next === undefined) return;
        e.preventDefault();
        onChoose(next);
        (e.currentTarget.children[to as number] as HTMLElement | undefined)?.focus();
      }}
    >
      {views.map((v) => (
        <button
          key={v}
          type="button"
          role="tab"
          aria-selected={value === v}
          tabIndex={value === v ? 0 : -1}
          onClick={() => onChoose(v)}
          className={`px-2.5 whitespace-nowrap focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade ${
            value === v ? 'text-ink shadow-[inset_0_-2px_var(--jade)]' : 'hover:text-ink'
          }`}
        >
          {titles[v]}
        </button>
      ))}
    </div>
  );
}

/** In the place of a sheet without rows. */
export function NoRows({ what, isFiltered }: { what: string; isFiltered: boolean }) {
  return (
    <p className="p-6 text-dim">{isFiltered ? `No ${what} passes this filter.` : `No ${what} in this plan yet.`}</p>
  );
}
