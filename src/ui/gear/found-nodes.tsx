import { byName, compareNames } from '@/core/plan/name-order';
import { hasStreams } from '@/core/models/unknown-figures';
import { useState } from 'react';
import { foundKey, type FoundNode } from '@/core/edits/found-node';
import { commandsForNode, importNodes } from '@/core/edits/import-nodes';
import type { Plan } from '@/core/plan/plan';
import { Button, Modal, SelectField } from '@/ui/parts/controls';
import { Age } from '@/ui/parts/age';
import { followedWord } from '@/ui/parts/loss-words';
import { count } from '@/ui/parts/units';
import { openDialog } from '@/ui/frame/frame-dialog';
import { commit, commitWithUndo } from '@/ui/session/actions';
import { usePlan } from '@/ui/session/plan-store';

/** Nodes that answer although the plan does not know them: to be added as they are, or bound to a device on paper. */
export function FoundNodes({ plan, onClose }: { plan: Plan; onClose: () => void }) {
  const field = usePlan((s) => s.field);
  const unknown = [...field.unknown.values()].flat().sort((a, b) => compareNames(a.label, b.label));
  const registry = field.registry.get('');
  const paper = [...plan.devices.values()]
    .filter((d) => {
      const model = plan.models.get(d.modelId);
      return !field.devices.has(d.id) && hasStreams(model);
    })
    .sort(byName);
  return (
    <Modal title="Found in the field, not in the plan" onClose={onClose} wide>
      {unknown.length === 0 ? (
        <p>
          {registry?.isConnected === false
            ? `The ${followedWord(registry.url)} does not answer, so no node is known yet.`
            : 'Every node that answers is in the plan.'}
        </p>
      ) : null}
      <ul className="flex max-h-[50vh] flex-col gap-3 overflow-y-auto">
        {unknown.map((node) => (
          <NodeCard key={foundKey(node)} node={node} plan={plan} paper={paper} />
        ))}
      </ul>
      <div className="mt-4 flex justify-end gap-2">
        {unknown.length > 1 ? (
          <Button
            tone="main"
            onClick={() =>
              void commitWithUndo(`add ${count(unknown.length, 'node')} as found`, importNodes(plan, unknown).commands)
            }
          >
            Add all {unknown.length} as found
          </Button>
        ) : null}
        <Button
          onClick={() => {
            onClose();
            openDialog('places');
          }}
        >
          Discovery …
        </Button>
        <Button onClick={onClose}>Close</Button>
      </div>
    </Modal>
  );
}

function NodeCard({
  node,
  plan,
  paper,
}: {
  node: FoundNode;
  plan: Plan;
  paper: readonly { id: string; name: string }[];
}) {
  const [deviceId, setDeviceId] = useState('');
  const chosen = paper.find((d) => d.id === deviceId);
  const bind = () => {
    if (!chosen) return;
    const change = {
      ...{ nodeId: node.nodeId, nodeDeviceId: node.nodeDeviceId ?? null },
      ...(node.serial === null ? {} : { serial: node.serial.slice(0, 80) }),
    };
    void commit(`bind ${chosen.name} to ${node.label}`, [{ kind: 'change-device', deviceId: chosen.id, change }]);
  };
  return (
    <li className="rounded border border-line p-3" aria-label={node.label}>
      <p>
        <b className="font-medium">{node.label}</b>{' '}
        <span className="font-mono text-[12px] text-dim">{node.addresses.join(' ')}</span>
      </p>
      <p className="text-dim">
        {node.serial === null ? 'No serial' : `Serial ${node.serial}`};{' '}
        {count(node.channelsReceive, 'receiver channel')} in {count(node.streamsReceive, 'stream')},{' '}
        {count(node.channelsSend, 'sender channel')} in {count(node.streamsSend, 'stream')}
      </p>
      {node.others === undefined ? null : (
        <p className="text-[12px] text-dim">
          Beside the sound it has{' '}
          {[
            node.others.picture > 0
              ? `${count(node.others.picture, 'sender or receiver', 'senders and receivers')} of pictures`
              : '',
            node.others.ancillary > 0
              ? `${count(node.others.ancillary, 'sender or receiver', 'senders and receivers')} of ancillary data`
              : '',
          ]
            .filter(Boolean)
            .join(' and ')}
          , which are not planned.
        </p>
      )}
      {node.foundFrom === undefined || node.foundAt === undefined ? null : (
        <p className="text-[12px] text-dim">
          Reported by <span className="font-mono">{node.foundFrom}</span>, <Age at={node.foundAt} what="" />.
        </p>
      )}
      <div className="mt-2 flex items-center gap-2">
        <Button
          tone="main"
          onClick={() => void commit(`add ${node.label} as found`, commandsForNode(plan, node).commands)}
        >
          Add as found
        </Button>
        <span className="text-dim">or bind to</span>
        <SelectField
          aria-label={`Device on paper for ${node.label}`}
          value={deviceId}
          onChange={(e) => setDeviceId(e.target.value)}
          className="max-w-[220px]"
        >
          <option value="">a device on paper</option>
          {paper.map((d) => (
            <option key={d.id} value={d.id}>
              {d.name}
            </option>
          ))}
        </SelectField>
        <Button disabled={!chosen} onClick={bind}>
          Bind
        </Button>
      </div>
    </li>
  );
}
