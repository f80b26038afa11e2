import { toast } from 'sonner';
import { layBlock, readPastedBlock, type PastedColumn } from '@/core/formats/pasted-block';
import { count } from './units';

const SHOWN = 4;

/**
 * What a pasted block puts onto which row; null where any of it cannot be, which the engineer reads line by line: then nothing is
 * pasted. @param selected rows, in the order of the sheet
 */
export function pasteBlock<Row>(
  text: string,
  columns: readonly PastedColumn[],
  selected: readonly Row[],
  all: readonly Row[],
): readonly { readonly row: Row; readonly cells: readonly string[] }[] | null {
  if (selected.length === 0 || text.trim() === '') return null;
  const block = readPastedBlock(text, columns);
  const { laid, problems: unlaid } = layBlock(block, selected, all);
  const problems = [...block.problems, ...unlaid];
  if (problems.length === 0) return laid;
  const said = problems.slice(0, SHOWN).map((p) => `Line ${p.line}: ${p.problem}.`);
  const more = problems.length > SHOWN ? ` ${problems.length - SHOWN} more.` : '';
  toast.error(`Nothing pasted: ${count(problems.length, 'line')} ${problems.length === 1 ? 'does' : 'do'} not fit`, {
    description: said.join(' ') + more,
    duration: 12_000,
  });
  return null;
}
