import type { ColumnMapping, ColumnWords } from '@/core/formats/table';
import { Labelled, SelectField } from '@/ui/parts/controls';

/** Which column of a file is which. Guessed; what a person sets is remembered for files with the same first line. */
export function ColumnMapper<C extends string>({
  words,
  header,
  examples,
  mapping,
  onMap,
}: {
  words: ColumnWords<C>;
  header: readonly string[];
  /** What stands in the first line below the header. */
  examples: readonly string[];
  mapping: ColumnMapping<C>;
  onMap: (mapping: ColumnMapping<C>) => void;
}) {
  if (header.length === 0) return null;
  const missing = words.needed.filter((c) => mapping[c] === null);
  const found = words.columns.filter((c) => mapping[c] !== null).length;
  const unused = header.filter((_, n) => !words.columns.some((c) => mapping[c] === n));
  return (
    <details open={missing.length > 0}>
      <summary className="cursor-pointer text-dim focus-visible:outline-2 focus-visible:outline-jade">
        Columns: {found} of {words.columns.length} found
        {unused.length > 0 ? `; not used: ${unused.map((name) => name || 'one without a name').join(', ')}` : ''}
        {missing.length > 0 ? <span className="text-madder">; missing: {missing.join(', ')}</span> : ''}
      </summary>
      <div className="mt-1.5 grid grid-cols-4 gap-2 max-md:grid-cols-2">
        {words.columns.map((column) => (
          <Labelled key={column} label={words.needed.includes(column) ? `${column} (needed)` : column}>
            <SelectField
              value={mapping[column] ?? ''}
              onChange={(e) => onMap({ ...mapping, [column]: e.target.value === '' ? null : Number(e.target.value) })}
            >
              <option value="">not in the file</option>
              {header.map((name, n) => (
                <option key={n} value={n}>
                  {name === '' ? `column ${n + 1}` : name}
                  {examples[n] === undefined || examples[n] === '' ? '' : `: ${examples[n].slice(0, 24)}`}
                </option>
              ))}
            </SelectField>
          </Labelled>
        ))}
      </div>
    </details>
  );
}
