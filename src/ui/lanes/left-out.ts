import { count } from '@/ui/parts/units';

/** What of a pasted block is left out, and why; null: all of it is there. */
export function leftOutOfPaste({
  feeds,
  rows,
  problems,
  noPass,
}: {
  readonly feeds: number;
  readonly rows: number;
  readonly problems: readonly { readonly line: number; readonly problem: string }[];
  readonly noPass: number;
}): string | null {
  const isRepeated = feeds > 0 && rows % feeds === 0;
  const parts = [
    ...(feeds > rows ? [`${count(feeds - rows, 'line')} without a row to go to`] : []),
    ...(feeds < rows && !isRepeated ? [`${count(rows - feeds, 'row')} without a line: they stay as they are`] : []),
    ...(problems.length > 0
      ? [
          `${count(problems.length, 'line')} that cannot be read (${problems
            .slice(0, 2)
            .map((p) => `line ${p.line}: ${p.problem}`)
            .join('; ')}${problems.length > 2 ? '; …' : ''})`,
        ]
      : []),
    ...(noPass > 0 ? [`${count(noPass, 'row')} for which the processing unit has no channel left`] : []),
  ];
  return parts.length === 0 ? null : `Left out: ${parts.join('; ')}.`;
}
