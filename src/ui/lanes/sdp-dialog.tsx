'use client';

import { useMemo, useState } from 'react';
import { importSdp, type SdpItem, type SdpSource } from '@/core/plan/import-sdp';
import type { Plan } from '@/core/plan/plan';
import { Modal } from '@/ui/parts/controls';
import { LeaveOrPreview, LookedAt } from '@/ui/parts/looked-at';
import { FileDrop } from '@/ui/parts/file-drop';
import { readTextFile } from '@/ui/parts/read-file';
import { TableProblems } from '@/ui/parts/table-problems';
import { count, kHz, packetTime } from '@/ui/parts/units';
import { previewBatch } from '@/ui/session/actions';

const FILE_MAX_BYTES = 64_000;
const FILES_MAX = 500;

/** SDP files of senders that are not in the plan: each held against it, nothing applied before yes. */
export function SdpDialog({ plan, onClose }: { plan: Plan; onClose: () => void }) {
  const [sources, setSources] = useState<readonly SdpSource[]>([]);
  const [unread, setUnread] = useState<readonly string[]>([]);
  const { items, commands } = useMemo(() => importSdp(plan, sources), [plan, sources]);
  const added = new Set(items.flatMap((i) => (i.verdict === 'new' ? [i.device] : [])));
  const read = async (list: readonly File[]) => {
    const good: SdpSource[] = [];
    const bad: string[] =
      list.length > FILES_MAX ? [`only the first ${FILES_MAX} of ${list.length} files are read`] : [];
    for (const file of list.slice(0, FILES_MAX)) {
      const result = await readTextFile(file, FILE_MAX_BYTES);
      if ('problem' in result) bad.push(`${file.name}: ${result.problem}`);
      else good.push({ name: file.name, text: result.text });
    }
    setSources(good);
    setUnread(bad);
  };
  return (
    <Modal title="Take in senders from SDP" onClose={onClose} wide>
      <div className="flex flex-col gap-3">
        <FileDrop
          words="Drop files here, or choose them:"
          label="SDP files"
          accept=".sdp,.txt,application/sdp,text/plain"
          isMany
          onFiles={(files) => void read(files)}
        >
          A sender that the plan does not know becomes a device with the channels, format and groups that its files
          tell. Its streams are held as they are, and its patch is never written.
        </FileDrop>
        <TableProblems problems={unread.map((problem) => ({ line: 0, problem }))} />
        {items.length > 0 ? (
          <LookedAt label="What would be taken in" columns={['File', 'Sender', 'Stream', 'Group']}>
            {items.map((item, n) => (
              <Line key={n} item={item} />
            ))}
          </LookedAt>
        ) : null}
        <LeaveOrPreview
          words={count(added.size, 'new sender')}
          isPossible={commands.length > 0}
          onLeave={onClose}
          onPreview={() => {
            onClose();
            void previewBatch(`take in ${count(added.size, 'sender')} from SDP`, commands);
          }}
        />
      </div>
    </Modal>
  );
}

function Line({ item }: { item: SdpItem }) {
  const { audio, verdict } = item;
  return (
    <tr className="border-t border-line/60 align-top">
      <td className="max-w-[160px] truncate pr-2" title={item.name}>
        {item.name}
      </td>
      {verdict === 'refused' || audio === null ? (
        <td colSpan={3} className="text-madder">
          {item.problem}
        </td>
      ) : (
        <>
          <td className="pr-2">
            {item.device}{' '}
            <span className={verdict === 'new' ? 'text-jade' : 'text-dim'}>
              {verdict === 'new' ? 'new' : 'in the plan already'}
            </span>
            {item.problem === null ? null : <span className="block text-[12px] text-ochre">{item.problem}</span>}
          </td>
          <td className="pr-2 font-mono text-[12px]">
            {audio.channels} × {audio.format.encoding} {kHz(audio.format.rateHz)} kHz,{' '}
            {packetTime(audio.format.packetTimeUs)}
          </td>
          <td className="font-mono text-[12px]">
            {audio.legs.map((l) => (
              <span key={l.group} className="block">
                {l.group}
              </span>
            ))}
          </td>
        </>
      )}
    </tr>
  );
}
