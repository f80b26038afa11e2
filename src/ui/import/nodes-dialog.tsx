import { useMemo, useState } from 'react';
import { NMOS_JSON_MAX_BYTES, readNmosJson, type NmosResult } from '@/core/formats/nmos-json';
import { foundKey } from '@/core/edits/found-node';
import { importNodes, type NodeItem } from '@/core/edits/import-nodes';
import { Modal } from '@/ui/parts/controls';
import { LeaveOrPreview, LookedAt } from '@/ui/parts/looked-at';
import { count, kHz } from '@/ui/parts/units';
import { addressOf } from '@/ui/session/ask';
import { previewBatch } from '@/ui/session/actions';
import { usePlan } from '@/ui/session/plan-store';
import { firstText, type ImportProps } from './asked';
import { FileDrop } from './file-drop';
import { FileProblems } from './file-problems';
import { readTextFile } from './read-file';

interface Read extends NmosResult {
  readonly name: string;
}
const EMPTY: Read = { name: '', nodes: [], problems: [] };

const KNOWN_BY = { node: 'bound to it', serial: 'known by serial', address: 'known by address' } as const;

/** Devices as a registry or a node tells of them, saved as JSON: held against the plan, nothing applied before yes. */
export function NodesDialog({ plan, found, onClose }: ImportProps) {
  const [{ name, nodes, problems }, setRead] = useState<Read>(() => {
    const dropped = firstText(found);
    return dropped === null ? EMPTY : { name: dropped.name, ...readNmosJson(dropped.text) };
  });
  const planId = usePlan((s) => s.planId);
  const hasField = usePlan((s) => s.hasField);
  const { items, commands } = useMemo(() => importNodes(plan, nodes), [plan, nodes]);
  const added = items.filter((i) => i.verdict === 'new');
  const read = async (file: File | undefined) => {
    if (file === undefined) return;
    const text = await readTextFile(file, NMOS_JSON_MAX_BYTES);
    if ('problem' in text) {
      setRead({ ...EMPTY, name: file.name, problems: [{ at: file.name, problem: text.problem }] });
    } else setRead({ name: file.name, ...readNmosJson(text.text) });
  };
  return (
    <Modal title="Import devices from NMOS resources" onClose={onClose} wide>
      <div className="flex flex-col gap-3">
        <FileDrop
          words="Drop a file here, or choose one:"
          label="NMOS resources"
          accept=".json,application/json"
          now={name}
          onFiles={([file]) => void read(file)}
        >
          IS-04 resources as JSON: a list of them, or lists called{' '}
          <span className="font-mono">nodes, devices, sources, flows, senders, receivers</span>. A node that is not in
          the plan becomes a device with the channels and streams that the file lists.
        </FileDrop>
        {hasField ? (
          <p>
            <a href={addressOf('GET /api/plans/:planId/nmos', { planId: planId ?? '' })} download className="underline">
              Export what the registry lists now
            </a>{' '}
            <span className="text-dim">as such a file.</span>
          </p>
        ) : null}
        <FileProblems problems={problems} />
        {items.length > 0 ? (
          <LookedAt
            label="What would be imported"
            columns={[
              'Device',
              { title: 'Is', width: 'w-[130px]' },
              'Address',
              'Receives, at most',
              'Sends',
              { title: 'kHz', width: 'w-10 text-right' },
            ]}
          >
            {[...added, ...items.filter((i) => i.verdict !== 'new')].map((item) => (
              <Line key={foundKey(item.node)} item={item} />
            ))}
          </LookedAt>
        ) : null}
        <LeaveOrPreview
          words={count(added.length, 'new device')}
          isPossible={commands.length > 0}
          onLeave={onClose}
          onPreview={() => {
            onClose();
            void previewBatch(`import ${count(added.length, 'device')} from ${name}`, commands);
          }}
        />
      </div>
    </Modal>
  );
}

function Line({ item: { node, verdict, device, knownBy } }: { item: NodeItem }) {
  const size = (channels: number, streams: number) =>
    streams === 0 ? 'nothing' : `${channels} ch in ${count(streams, 'stream')}`;
  return (
    <tr className="border-t border-line/60 align-top">
      <td className="max-w-[150px] truncate pr-2" title={device}>
        {device}
      </td>
      <td className={verdict === 'new' ? 'text-jade' : 'text-dim'}>
        {verdict === 'new' ? 'new' : knownBy === null ? 'known' : KNOWN_BY[knownBy]}
      </td>
      <td className="pr-2 font-mono text-[12px]">{node.addresses[0] ?? 'none reported'}</td>
      <td className="pr-2">{size(node.channelsReceive, node.streamsReceive)}</td>
      <td className="pr-2">{size(node.channelsSend, node.streamsSend)}</td>
      <td className="text-right font-mono text-[12px]">{node.rateHz == null ? '' : kHz(node.rateHz)}</td>
    </tr>
  );
}
