'use client';

import { useMemo, useState, type ReactNode } from 'react';
import { commandsOfItems, importDevicePatches, importSockets, type SignalItem } from '@/core/edits/import-signals';
import {
  DEVICE_PATCH_COLUMNS,
  DEVICE_PATCH_MAX_BYTES,
  DEVICE_PATCH_WORDS,
  readDevicePatchList,
  writeDevicePatchList,
} from '@/core/formats/device-patch-list';
import {
  readSocketList,
  SOCKET_COLUMNS,
  SOCKET_LIST_MAX_BYTES,
  SOCKET_WORDS,
  writeSocketList,
} from '@/core/formats/socket-list';
import { Button, Modal } from '@/ui/parts/controls';
import { LeaveOrPreview, LookedAt } from '@/ui/parts/looked-at';
import { saveText } from '@/ui/parts/save-text';
import { count } from '@/ui/parts/units';
import { previewBatch } from '@/ui/session/actions';
import type { ImportProps } from './asked';
import { ColumnMapper } from './column-mapper';
import { FileDrop } from './file-drop';
import { useMappedTable } from './mapped-table';
import { TableProblems } from './table-problems';

const SOCKETS = { kind: 'socket-list', words: SOCKET_WORDS, read: readSocketList, bytesMax: SOCKET_LIST_MAX_BYTES };
const PATCHES = {
  kind: 'device-patch',
  words: DEVICE_PATCH_WORDS,
  read: readDevicePatchList,
  bytesMax: DEVICE_PATCH_MAX_BYTES,
};

/** An input list taken in: what is plugged into which socket, and how it is set. */
export function SocketListDialog({ plan, found, onClose }: ImportProps) {
  const { table, open, map } = useMappedTable(SOCKETS, found);
  const items = useMemo(() => importSockets(plan, table?.rows ?? []), [plan, table]);
  return (
    <SignalListDialog
      title="Import an input list"
      label="Input list"
      name={table?.name ?? null}
      items={items}
      problems={table?.problems ?? []}
      columns={SOCKET_COLUMNS}
      hint="One line for each socket or channel. Only the first three columns must be there; what is empty is left alone."
      mapper={table === null ? null : <ColumnMapper words={SOCKET_WORDS} {...table} onMap={map} />}
      onFile={open}
      onSave={() => saveText('input-list.csv', 'text/csv', writeSocketList(plan))}
      onClose={onClose}
    />
  );
}

/** Device patches taken in: patches and sends, line by line. */
export function DevicePatchDialog({ plan, found, onClose }: ImportProps) {
  const { table, open, map } = useMappedTable(PATCHES, found);
  const items = useMemo(() => importDevicePatches(plan, table?.rows ?? []), [plan, table]);
  return (
    <SignalListDialog
      title="Import device patches"
      label="List of device patches"
      name={table?.name ?? null}
      items={items}
      problems={table?.problems ?? []}
      columns={DEVICE_PATCH_COLUMNS}
      hint="One line for each channel that is patched, and for each send to a bus (on or off). An empty “from” feeds the channel from nothing."
      mapper={table === null ? null : <ColumnMapper words={DEVICE_PATCH_WORDS} {...table} onMap={map} />}
      onFile={open}
      onSave={() => saveText('device-patches.csv', 'text/csv', writeDevicePatchList(plan))}
      onClose={onClose}
    />
  );
}

function SignalListDialog({
  title,
  label,
  name,
  items,
  problems,
  columns,
  hint,
  mapper,
  onFile,
  onSave,
  onClose,
}: {
  title: string;
  label: string;
  name: string | null;
  items: readonly SignalItem[];
  problems: Parameters<typeof TableProblems>[0]['problems'];
  columns: readonly string[];
  hint: string;
  mapper: ReactNode;
  onFile: (file: File) => Promise<void>;
  onSave: () => void;
  onClose: () => void;
}) {
  const [linesShown, setLinesShown] = useState(200);
  const differing = items.filter((i) => i.verdict === 'differs');
  const refused = items.filter((i) => i.verdict === 'refused');
  const listed = [...refused, ...differing];
  return (
    <Modal title={title} onClose={onClose} wide>
      <div className="flex flex-col gap-3">
        <Button className="self-end" onClick={onSave}>
          Export this plan’s list
        </Button>
        <FileDrop
          words="Drop a file here, or choose one:"
          label={label}
          accept=".csv,.tsv,text/csv,text/plain"
          now={name}
          onFiles={([file]) => {
            setLinesShown(200);
            if (file) void onFile(file);
          }}
        >
          {hint} Columns <span className="font-mono">{columns.join(', ')}</span>.
        </FileDrop>
        {mapper}
        <TableProblems problems={problems} />
        {items.length > 0 ? (
          <p aria-live="polite">
            {differing.length} to change, {items.length - listed.length} as they are
            {refused.length > 0 ? <span className="text-madder">, {refused.length} refused</span> : ''}.
          </p>
        ) : null}
        {listed.length > 0 ? (
          <LookedAt
            label="What would be imported"
            columns={[{ title: 'Line', width: 'w-10' }, 'Channel', 'What changes']}
            below={
              listed.length > linesShown ? (
                <Button tone="quiet" onClick={() => setLinesShown(linesShown + 500)}>
                  {listed.length - linesShown} more lines …
                </Button>
              ) : null
            }
          >
            {listed.slice(0, linesShown).map((item) => (
              <tr key={item.line} className="border-t border-line/60 align-top">
                <td className="font-mono text-[12px] text-dim">{item.line}</td>
                <td>{item.where}</td>
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
            ))}
          </LookedAt>
        ) : null}
        <LeaveOrPreview
          words={count(differing.length, 'change')}
          isPossible={differing.length > 0}
          onLeave={onClose}
          onPreview={() => {
            onClose();
            void previewBatch(`import ${count(differing.length, 'line')} from ${name ?? ''}`, commandsOfItems(items));
          }}
        />
      </div>
    </Modal>
  );
}
