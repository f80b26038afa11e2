'use client';

import { useMemo, useState } from 'react';
import { PATCH_COLUMNS, PATCH_MAX_BYTES, PATCH_WORDS, readPatchList } from '@/core/formats/patch-list';
import { importPatch, type PatchItem } from '@/core/edits/import-patch';
import { Button, Modal } from '@/ui/parts/controls';
import { LeaveOrPreview, LookedAt } from '@/ui/parts/looked-at';
import type { ImportProps } from './asked';
import { ColumnMapper } from './column-mapper';
import { FileDrop } from './file-drop';
import { useMappedTable } from './mapped-table';
import { TableProblems } from './table-problems';
import { count } from '@/ui/parts/units';
import { previewBatch } from '@/ui/session/actions';

const TABLE = { kind: 'patch-list', words: PATCH_WORDS, read: readPatchList, bytesMax: PATCH_MAX_BYTES };

/** A patch list taken in: every line is held against the plan, and nothing is applied before yes. */
export function PatchDialog({ plan, found, onClose }: ImportProps) {
  const { table, open, map } = useMappedTable(TABLE, found);
  const [linesShown, setLinesShown] = useState(200);
  const { items, commands } = useMemo(() => importPatch(plan, table?.rows ?? []), [plan, table]);
  const differing = items.filter((i) => i.verdict === 'differs');
  const refused = items.filter((i) => i.verdict === 'refused');
  const listed = [...refused, ...differing];
  const read = async (file: File | undefined) => {
    if (file === undefined) return;
    setLinesShown(200);
    await open(file);
  };
  return (
    <Modal title="Import a patch list" onClose={onClose} wide>
      <div className="flex flex-col gap-3">
        <FileDrop
          words="Drop a file here, or choose one:"
          label="Patch list"
          accept=".csv,.tsv,text/csv,text/plain"
          now={table?.name ?? null}
          onFiles={([file]) => void read(file)}
        >
          One line for each receiver channel, columns <span className="font-mono">{PATCH_COLUMNS.join(', ')}</span>. An
          empty sender leaves the channel free; an empty label, or a missing column, changes nothing.
        </FileDrop>
        {table === null ? null : <ColumnMapper words={PATCH_WORDS} {...table} onMap={map} />}
        <TableProblems problems={table?.problems ?? []} />
        {items.length > 0 ? (
          <>
            <p aria-live="polite">
              {differing.length} to change, {items.length - differing.length - refused.length} as they are
              {refused.length > 0 ? <span className="text-madder">, {refused.length} refused</span> : ''}.
            </p>
            {listed.length > 0 ? (
              <LookedAt
                label="What would be imported"
                columns={[{ title: 'Line', width: 'w-10' }, 'Receiver', { title: 'Ch', width: 'w-10' }, 'What changes']}
                below={
                  <>
                    {listed.length > linesShown ? (
                      <Button tone="quiet" onClick={() => setLinesShown(linesShown + 500)}>
                        {listed.length - linesShown} more lines …
                      </Button>
                    ) : null}
                  </>
                }
              >
                {listed.slice(0, linesShown).map((item) => (
                  <Line key={item.line} item={item} />
                ))}
              </LookedAt>
            ) : null}
          </>
        ) : null}
        <LeaveOrPreview
          words={count(differing.length, 'change')}
          isPossible={commands.length > 0}
          onLeave={onClose}
          onPreview={() => {
            onClose();
            void previewBatch(`import ${count(differing.length, 'line')} from ${table?.name ?? ''}`, commands);
          }}
        />
      </div>
    </Modal>
  );
}

function Line({ item }: { item: PatchItem }) {
  return (
    <tr className="border-t border-line/60 align-top">
      <td className="font-mono text-[12px] text-dim">{item.line}</td>
      <td>{item.receiver}</td>
      <td className="font-mono text-[12px]">{item.channel}</td>
      <td>
        {item.problem !== null ? (
          <span className="text-madder">{item.problem}</span>
        ) : (
          item.changes.map((c) => (
            <span key={c.what} className="block">
              {c.what}: <span className="text-dim">{c.before === '' ? 'none' : c.before}</span> →{' '}
              {c.after === '' ? 'none' : c.after}
            </span>
          ))
        )}
      </td>
    </tr>
  );
}
