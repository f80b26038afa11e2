import { useState, type FormEvent } from 'react';
import type { FieldPlaces, NodeByAddress } from '@/server/messages';
import { Age } from '@/ui/parts/age';
import { Button, Labelled, Modal, TextField } from '@/ui/parts/controls';
import { LookedAt } from '@/ui/parts/looked-at';
import { reportProblem } from '@/ui/parts/report-problem';
import { count, timeOfDay } from '@/ui/parts/units';
import { failureWords } from '@/ui/parts/send-words';
import { useFieldPlaceEdits, useFieldPlaces } from '@/ui/session/field-places';
import { usePlan } from '@/ui/session/plan-store';

/** Where the server looks for devices: what it follows, nodes by their addresses, and the adapters by which it reaches them. */
export function PlacesDialog({ onClose }: { onClose: () => void }) {
  const { places, problem } = useFieldPlaces();
  return (
    <Modal title="Device discovery" onClose={onClose} wide>
      {problem === null ? null : (
        <p role="alert" className="mb-2 text-madder">
          {problem}
        </p>
      )}
      {places === null ? (
        <p className="text-dim">Reading …</p>
      ) : (
        <>
          <Followed followed={places.followed} />
          <NodesByAddress nodes={places.nodes} />
          <Adapters adapters={places.adapters} chosenBy={places.chosenBy} />
        </>
      )}
      <div className="mt-4 flex justify-end">
        <Button onClick={onClose}>Close</Button>
      </div>
    </Modal>
  );
}

function Followed({ followed }: Pick<FieldPlaces, 'followed'>) {
  if (followed === null) {
    return (
      <p>
        No devices are followed yet. Enter the address of a node below, or set a registry when the server starts
        (JADE_REGISTRY, JADE_DNS_SD or JADE_OWN_REGISTRY).
      </p>
    );
  }
  return (
    <p>
      <span className="font-mono text-[12px] break-all">{followed.name}</span>:{' '}
      {followed.isConnected ? (
        'connected'
      ) : (
        <span className="text-ochre">
          not connected{followed.because === null || followed.because === '' ? '' : ` (${followed.because})`}
        </span>
      )}
    </p>
  );
}

function NodesByAddress({ nodes }: { nodes: readonly NodeByAddress[] }) {
  const { addNode, removeNode } = useFieldPlaceEdits();
  const [address, setAddress] = useState('');
  const [problem, setProblem] = useState<string | null>(null);
  const [isAdding, setAdding] = useState(false);
  const add = async (e: FormEvent) => {
    e.preventDefault();
    if (address.trim() === '' || isAdding) return;
    setAdding(true);
    try {
      await addNode(address.trim());
      setAddress('');
      setProblem(null);
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    }
    setAdding(false);
  };
  const remove = (url: string) => removeNode(url).catch((error: unknown) => reportProblem(error, 'Not removed'));
  return (
    <section aria-label="Nodes by address">
      <h3 className="mt-3 mb-1 text-[12px] font-medium text-faint">Nodes by address, for devices in no registry</h3>
      <form onSubmit={(e) => void add(e)} className="flex items-end gap-2" noValidate>
        <Labelled label="Address, with its port where that is not 80">
          <TextField
            autoFocus
            value={address}
            placeholder="10.20.0.31:8080"
            aria-invalid={problem !== null}
            aria-describedby={problem === null ? undefined : 'node-address-problem'}
            onChange={(e) => {
              setAddress(e.target.value);
              setProblem(null);
            }}
            className="w-[260px] font-mono"
          />
        </Labelled>
        <Button type="submit" tone="main" disabled={isAdding || address.trim() === ''}>
          Add node
        </Button>
      </form>
      {problem === null ? null : (
        <p role="alert" id="node-address-problem" className="mt-1 text-[12px] text-madder">
          {problem}
        </p>
      )}
      {nodes.length === 0 ? null : (
        <div className="mt-2">
          <LookedAt
            label="Added nodes"
            columns={[
              'Address',
              'Node',
              { title: 'State', width: 'w-[190px]' },
              { title: 'Added by', width: 'w-[110px]' },
              { title: 'Remove', width: 'w-[88px]', isSpoken: true },
            ]}
          >
            {nodes.map((node) => (
              <tr key={node.url} className="border-t border-line/60 align-top">
                <td className="py-1 pr-2 font-mono text-[12px] break-all">{node.url}</td>
                <td className="py-1 pr-2">{node.reading?.label ?? ''}</td>
                <td className="py-1 pr-2">
                  <NodeState node={node} />
                </td>
                <td className="py-1 pr-2 text-dim">{node.by ?? 'server settings'}</td>
                <td className="text-right">
                  {node.by === null ? null : (
                    <Button tone="quiet" aria-label={`Remove ${node.url}`} onClick={() => void remove(node.url)}>
                      Remove
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </LookedAt>
        </div>
      )}
    </section>
  );
}

function NodeState({ node: { reading, refusal } }: { node: NodeByAddress }) {
  if (refusal !== null) return <span className="text-ochre">Not contacted: {refusal}</span>;
  if (reading === null) return <span className="text-dim">Reading …</span>;
  if (reading.failure !== null) return <span className="text-ochre">{failureWords(reading.failure)}</span>;
  return (
    <>
      answering, <Age at={reading.at} />
    </>
  );
}

function Adapters({ adapters, chosenBy }: Pick<FieldPlaces, 'adapters' | 'chosenBy'>) {
  const { chooseAdapters } = useFieldPlaceEdits();
  const plan = usePlan((s) => s.plan);
  const seen = usePlan((s) => s.field.adapters.get(''));
  const devices = usePlan((s) => s.field.devices);
  const askedBy = (name: string) => [...devices.values()].filter((d) => d.askedAt?.adapter === name).length;
  /** What was just chosen, until the server has it; undefined: nothing. */
  const [chosen, setChosen] = useState<readonly string[] | null | undefined>(undefined);
  const isBusy = chosen !== undefined;
  const choose = async (names: readonly string[] | null) => {
    setChosen(names);
    try {
      await chooseAdapters(names);
    } catch (error) {
      reportProblem(error, 'Not chosen');
    }
    setChosen(undefined);
  };
  const names = [...new Set(adapters.map((a) => a.name))];
  const isUsed = (name: string): boolean =>
    chosen === undefined ? adapters.some((a) => a.name === name && a.isUsed) : (chosen?.includes(name) ?? true);
  const used = names.filter(isUsed);
  const toggle = (name: string) => void choose(used.includes(name) ? used.filter((n) => n !== name) : [...used, name]);
  const subnetsOf = (name: string, address: string) =>
    (seen ?? [])
      .filter((a) => a.name === name && a.address === address)
      .flatMap((a) => a.subnetIds)
      .flatMap((id) => plan?.subnets.get(id)?.name ?? []);
  const unseen = [...(plan?.subnets.values() ?? [])].filter((s) => !seen?.some((a) => a.subnetIds.includes(s.id)));
  return (
    <section aria-label="Adapters of the server">
      <h3 className="mt-4 mb-1 text-[12px] font-medium text-faint">Network adapters of the server</h3>
      {adapters.length === 0 ? (
        <p className="text-dim">The server has no adapter with an IPv4 address.</p>
      ) : (
        <LookedAt
          label="Adapters and what they reach"
          columns={[
            { title: 'Used', width: 'w-[48px]' },
            { title: 'Adapter', width: 'w-[110px]' },
            { title: 'Address', width: 'w-[170px]' },
            'Subnets of this plan reached without a router',
            { title: 'Devices', width: 'w-[96px]' },
          ]}
        >
          {adapters.map(({ name, address, network }) => (
            <tr key={`${name} ${address}`} className="border-t border-line/60 align-top">
              <td className="py-1">
                <input
                  type="checkbox"
                  aria-label={`Use ${name}, ${address}`}
                  checked={isUsed(name)}
                  disabled={isBusy || (isUsed(name) && used.length === 1)}
                  title={isUsed(name) && used.length === 1 ? 'At least one must be used' : undefined}
                  onChange={() => toggle(name)}
                />
              </td>
              <td className="py-1 pr-2">{name}</td>
              <td className="py-1 pr-2 font-mono text-[12px]">
                {address}/{network.slice(network.indexOf('/') + 1)}
              </td>
              <td className="py-1 pr-2">
                {subnetsOf(name, address).join(', ') || <span className="text-dim">none</span>}
              </td>
              <td className="py-1 text-right font-mono text-[12px]">{askedBy(name) || ''}</td>
            </tr>
          ))}
        </LookedAt>
      )}
      {plan === null || seen === undefined || unseen.length === 0 ? null : (
        <p className="mt-1 text-dim">
          No adapter sees {unseen.map((s) => s.name).join(', ')}: only a router leads there, if any.
        </p>
      )}
      <p className="mt-1 text-dim">
        {chosenBy === null
          ? 'All are used, including any added later. Untick one to leave the devices on its network alone.'
          : `${count(used.length, 'adapter')} chosen by ${chosenBy.name} at ${timeOfDay(chosenBy.at)}: devices are asked by ${used.length === 1 ? 'it' : 'them'} only, and announcements (SAP) are received there.`}
        {chosenBy === null ? null : (
          <Button tone="quiet" disabled={isBusy} onClick={() => void choose(null)}>
            Use all
          </Button>
        )}
      </p>
    </section>
  );
}
