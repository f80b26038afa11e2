'use client';

/** The views of a stage, side by side. */
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
    <div role="tablist" aria-label={label} className="flex h-full items-stretch">
      {views.map((v) => (
        <button
          key={v}
          type="button"
          role="tab"
          aria-selected={value === v}
          onClick={() => onChoose(v)}
          className={`px-2.5 focus-visible:outline-2 focus-visible:-outline-offset-2 focus-visible:outline-jade ${
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
