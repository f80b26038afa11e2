import { useState } from 'react';
import type { ColumnMapping, ColumnWords, TableProblem } from '@/core/formats/table';
import { firstText, type ImportProps } from './asked';
import { rememberedMapping, rememberMapping } from './column-memory';
import { readTextFile } from './read-file';

export interface Read<C extends string> {
  readonly header: readonly string[];
  readonly examples: readonly string[];
  readonly mapping: ColumnMapping<C>;
  readonly problems: readonly TableProblem[];
}

/** One kind of table, with how it is read. */
export interface TableKind<C extends string, T> {
  /** Under which what a person said of its columns is remembered. */
  readonly kind: string;
  readonly words: ColumnWords<C>;
  readonly read: (text: string, mapping: ColumnMapping<C> | null) => T;
  readonly bytesMax: number;
}

/** A table that was read, with the file it is from. */
type MappedTable<T> = T & { readonly name: string; readonly text: string };

/**
 * A file of lines and columns that is being looked at: read as a person said of such a file before, else as guessed, and again when they say
 * which column is which. Begins with what was dropped on the window.
 */
export function useMappedTable<C extends string, T extends Read<C>>(
  { kind, words, read, bytesMax }: TableKind<C, T>,
  found: ImportProps['found'],
): {
  readonly table: MappedTable<T> | null;
  readonly open: (file: File) => Promise<void>;
  readonly map: (mapping: ColumnMapping<C>) => void;
} {
  const tableOf = (name: string, text: string): MappedTable<T> => {
    const guessed = read(text, null);
    const mapping = rememberedMapping(kind, guessed.header, words);
    return { ...(mapping === null ? guessed : read(text, mapping)), name, text };
  };
  const [table, setTable] = useState<MappedTable<T> | null>(() => {
    const dropped = firstText(found);
    return dropped === null ? null : tableOf(dropped.name, dropped.text);
  });
  return {
    table,
    open: async (file) => {
      const text = await readTextFile(file, bytesMax);
      if ('problem' in text) setTable({ ...tableOf(file.name, ''), problems: [{ line: 0, problem: text.problem }] });
      else setTable(tableOf(file.name, text.text));
    },
    map: (mapping) => {
      if (table === null) return;
      rememberMapping(kind, table.header, mapping);
      setTable({ ...table, ...read(table.text, mapping) });
    },
  };
}
