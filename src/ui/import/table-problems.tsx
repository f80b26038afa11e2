import type { TableProblem } from '@/core/formats/table';

const SHOWN_MAX = 500;

/** The problems of a table, line by line. */
export function TableProblems({ problems }: { problems: readonly TableProblem[] }) {
  if (problems.length === 0) return null;
  return (
    <div role="alert">
      <ul tabIndex={0} aria-label="Problems" className="max-h-[14vh] overflow-y-auto text-madder">
        {problems.slice(0, SHOWN_MAX).map((p, n) => (
          <li key={n}>
            {p.line === 0 ? '' : `Line ${p.line}: `}
            {p.problem}.
          </li>
        ))}
        {problems.length > SHOWN_MAX ? <li>{problems.length - SHOWN_MAX} more.</li> : null}
      </ul>
    </div>
  );
}
