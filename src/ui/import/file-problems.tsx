const SHOWN_MAX = 200;

/** The problems of a JSON file, each with its place in it. */
export function FileProblems({
  problems,
}: {
  problems: readonly { readonly at: string; readonly problem: string; readonly who?: string }[];
}) {
  if (problems.length === 0) return null;
  return (
    <div role="alert">
      <ul tabIndex={0} aria-label="Problems" className="max-h-[16vh] overflow-y-auto text-[12px] text-madder">
        {problems.slice(0, SHOWN_MAX).map((p, n) => (
          <li key={n}>
            {p.who === undefined ? null : <b className="font-medium">{p.who}: </b>}
            <span className="font-mono break-all">{p.at}</span> {p.problem}
          </li>
        ))}
        {problems.length > SHOWN_MAX ? <li>{problems.length - SHOWN_MAX} more.</li> : null}
      </ul>
    </div>
  );
}
