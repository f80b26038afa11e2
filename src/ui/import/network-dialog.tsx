import { useMemo, useState } from 'react';
import {
  NETWORK_COLUMNS,
  NETWORK_CSV_MAX_BYTES,
  NETWORK_WORDS,
  readNetworkCsv,
  writeNetworkCsv,
} from '@/core/formats/network-csv';
import { rowsOfField } from '@/core/edits/import-field';
import { commandsOfImport, importNetwork, type ImportItem } from '@/core/edits/import-network';
import type { Plan } from '@/core/plan/plan';
import type { ImportProps } from './asked';
import { useMappedTable } from './mapped-table';
import { saveText } from '@/ui/parts/save-text';
import { TableProblems } from './table-problems';
import { Button, Modal } from '@/ui/parts/controls';
import { LeaveOrPreview, LookedAt } from '@/ui/parts/looked-at';
import { ColumnMapper } from './column-mapper';
import { FileDrop } from './file-drop';
import { deviceName } from '@/ui/parts/names';
import { count } from '@/ui/parts/units';
import { previewBatch } from '@/ui/session/actions';
import { usePlan } from '@/ui/session/plan-store';

type ReadFrom = 'file' | 'field';

const TABLE = {
  kind: 'network-table',
  words: NETWORK_WORDS,
  read: readNetworkCsv,
  bytesMax: NETWORK_CSV_MAX_BYTES,
};

/** The plan as the network really is: from a table, or from what the devices tell. Nothing is applied before yes. */
export function NetworkDialog({ plan, found, onClose }: ImportProps) {
  const [source, setSource] = useState<ReadFrom>('file');
  const { table, open, map } = useMappedTable(TABLE, found);
  const [linesShown, setLinesShown] = useState(200);
  const [shown, setShown] = useState<'all' | 'changes'>('changes');
  const devices = usePlan((s) => s.field.devices);
  const hasField = usePlan((s) => s.hasField);
  const rows = useMemo(
    () => (source === 'file' ? (table?.rows ?? []) : rowsOfField(plan, devices)),
    [source, table, plan, devices],
  );
  const items = useMemo(() => importNetwork(plan, rows), [plan, rows]);
  const problems = source === 'file' ? (table?.problems ?? []) : [];
  const commands = commandsOfImport(items);
  const tally = { new: 0, differs: 0, same: 0, refused: 0 };
  for (const item of items) tally[item.verdict] += 1;
  // What is refused stands first: every such line is to be seen.
  const listed = items
    .filter((i) => shown === 'all' || i.verdict !== 'same')
    .sort((a, b) => Number(b.verdict === 'refused') - Number(a.verdict === 'refused'));

  const save = () => saveText('network.csv', 'text/csv', writeNetworkCsv(plan));
  const preview = () => {
    const from = source === 'file' ? (table?.name ?? 'a table') : 'the field';
    void previewBatch(`import ${count(tally.new + tally.differs, 'interface')} from ${from}`, commands);
    onClose();
  };

  return (
    <Modal title="Import the network as it is" onClose={onClose} wide>
      <div className="flex flex-col gap-3">
        <div className="flex flex-wrap items-center gap-4">
          <label className="flex items-center gap-1.5">
            <input
              type="radio"
              checked={source === 'file'}
              onChange={() => setSource('file')}
              className="accent-jade"
            />
            from a table (CSV)
          </label>
          <label className={`flex items-center gap-1.5 ${hasField ? '' : 'text-dim'}`}>
            <input
              type="radio"
              disabled={!hasField}
              checked={source === 'field'}
              onChange={() => setSource('field')}
              className="accent-jade"
            />
            from what {count(devices.size, 'device')} in the field report
          </label>
          <Button className="ml-auto" onClick={save}>
            Export this plan’s table
          </Button>
        </div>
        {source === 'file' ? (
          <FileDrop
            words="Drop a file here, or choose one:"
            label="Table of the network"
            accept=".csv,text/csv,text/plain"
            now={table?.name ?? null}
            onFiles={([file]) => file && void open(file)}
          >
            One line for each interface, columns <span className="font-mono">{NETWORK_COLUMNS.join(', ')}</span>. Only
            the device is required; empty cells change nothing.
          </FileDrop>
        ) : (
          <p className="text-dim">
            Addresses, and the switch ports that devices report at the far end of their cables. What they do not report
            is left alone.
          </p>
        )}
        {source === 'file' && table !== null ? <ColumnMapper words={NETWORK_WORDS} {...table} onMap={map} /> : null}
        <TableProblems problems={problems} />
        {items.length > 0 ? (
          <>
            <div className="flex items-center gap-3">
              <p aria-live="polite">
                {tally.new} new, {tally.differs} differ, {tally.same} left alone
                {tally.refused > 0 ? <span className="text-madder">, {tally.refused} refused</span> : ''}.
              </p>
              <label className="ml-auto flex items-center gap-1.5 text-dim">
                <input
                  type="checkbox"
                  checked={shown === 'all'}
                  onChange={(e) => setShown(e.target.checked ? 'all' : 'changes')}
                  className="accent-jade"
                />
                show what is left alone
              </label>
            </div>
            <LookedAt
              label="What would be imported"
              columns={[
                ...(source === 'file' ? [{ title: 'Line', width: 'w-10' }] : []),
                'Device',
                'Port',
                { title: 'Is', width: 'w-16' },
                'What changes',
              ]}
              below={
                <>
                  {listed.length > linesShown ? (
                    <Button tone="quiet" onClick={() => setLinesShown(linesShown + 500)}>
                      {listed.length - linesShown} more lines …
                    </Button>
                  ) : null}
                  {listed.length === 0 ? <p className="text-dim">The plan matches already.</p> : null}
                </>
              }
            >
              {listed.slice(0, linesShown).map((item, n) => (
                <Line key={n} plan={plan} item={item} withLine={source === 'file'} />
              ))}
            </LookedAt>
          </>
        ) : null}
        <LeaveOrPreview
          words={count(tally.new + tally.differs, 'change')}
          isPossible={commands.length > 0}
          onLeave={onClose}
          onPreview={preview}
        />
      </div>
    </Modal>
  );
}

const VERDICT = { new: 'new', differs: 'differs', same: 'as it is', refused: 'refused' } as const;
const TONE = { new: 'text-jade', differs: 'text-violet', same: 'text-dim', refused: 'text-madder' } as const;

function Line({ plan, item, withLine }: { plan: Plan; item: ImportItem; withLine: boolean }) {
  return (
    <tr className="border-t border-line/60 align-top">
      {withLine ? <td className="font-mono text-[12px] text-dim">{item.line}</td> : null}
      <td>{deviceName(plan, item.device)}</td>
      <td className="text-dim">{item.port}</td>
      <td className={TONE[item.verdict]}>{VERDICT[item.verdict]}</td>
      <td>
        {item.problem !== null ? (
          <span className="text-madder">{item.problem}</span>
        ) : (
          item.changes.map((c) => (
            <span key={c.what} className="block">
              {c.what}: <span className="text-dim">{c.before ?? 'none'}</span> → {c.after}
            </span>
          ))
        )}
      </td>
    </tr>
  );
}
