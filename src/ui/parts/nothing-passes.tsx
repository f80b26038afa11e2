/** Where a filter leaves nothing over. @param what of which there is none: "lane" */
export function NothingPasses({ what, onShowAll }: { what: string; onShowAll: () => void }) {
  return (
    <p className="p-6 text-dim">
      No {what} passes this filter.{' '}
      <button type="button" className="text-jade underline" onClick={onShowAll}>
        Show all
      </button>
    </p>
  );
}
