import { useState } from 'react';
import { POE_CLASSES, PORT_ROLES, type ModelPort, type PoeClass } from '@/core/models/models-table';
import { Button, SelectField, TextField } from '@/ui/parts/controls';
import { CountField } from '@/ui/parts/count-field';
import { ETHERNET_SPEEDS } from '@/ui/parts/ethernet-speeds';
import { PORT_ROLE_WORDS, speedWords } from '@/ui/parts/figure-words';

const PORTS_MAX = 512;

/** The network ports of a model. Cables of the plan hold on to ports by their names. */
export function PortsField({
  ports,
  onSet,
}: {
  ports: readonly ModelPort[];
  onSet: (ports: readonly ModelPort[]) => void;
}) {
  const [more, setMore] = useState(1);
  const put = (n: number, change: Partial<ModelPort>) =>
    onSet(ports.map((p, k) => (k === n ? { ...p, ...change } : p)));
  const add = () => {
    const last = ports.at(-1);
    const added: ModelPort[] = [];
    const names = new Set(ports.map((p) => p.name));
    const taken = new Set(ports.map((p) => p.role));
    for (let n = 0; n < more && ports.length + added.length < PORTS_MAX; n += 1) {
      const name = nextName(last?.name ?? 'Port 0', names);
      names.add(name);
      // A device has one port of each role; a switch many of one.
      const role = last?.role === 'switched' ? 'switched' : (PORT_ROLES.find((r) => !taken.has(r)) ?? 'switched');
      taken.add(role);
      added.push({ bitsPerSecond: 1e9, ...last, name, role });
    }
    onSet([...ports, ...added]);
  };
  return (
    <>
      <table className="mt-1 w-full text-[12px]">
        <thead className="text-left text-dim">
          <tr>
            <th className="font-normal">Name</th>
            <th className="font-normal">Role</th>
            <th className="font-normal">Speed</th>
            <th className="font-normal">Supplies PoE</th>
            <th className="font-normal">Powered by PoE</th>
            <td />
          </tr>
        </thead>
        <tbody>
          {ports.map((port, n) => (
            <tr key={n}>
              <td className="pr-2">
                <PortName port={port} n={n} ports={ports} onSet={(name) => put(n, { name })} />
              </td>
              <td className="pr-2">
                <SelectField
                  aria-label={`Role of ${port.name}`}
                  value={port.role}
                  onChange={(e) => put(n, { role: e.target.value as ModelPort['role'] })}
                >
                  {PORT_ROLES.map((r) => (
                    <option key={r} value={r}>
                      {PORT_ROLE_WORDS[r]}
                    </option>
                  ))}
                </SelectField>
              </td>
              <td className="pr-2">
                <SelectField
                  aria-label={`Speed of ${port.name}`}
                  value={port.bitsPerSecond}
                  onChange={(e) => put(n, { bitsPerSecond: Number(e.target.value) })}
                >
                  {[...new Set([...ETHERNET_SPEEDS, port.bitsPerSecond])]
                    .sort((a, b) => a - b)
                    .map((s) => (
                      <option key={s} value={s}>
                        {speedWords(s)}
                      </option>
                    ))}
                </SelectField>
              </td>
              <td className="pr-2">
                <Poe
                  label={`PoE that ${port.name} supplies`}
                  value={port.givesPoeClass ?? null}
                  onSet={(givesPoeClass) => put(n, { givesPoeClass })}
                />
              </td>
              <td className="pr-2">
                <Poe
                  label={`PoE that powers ${port.name}`}
                  value={port.takesPoeClass ?? null}
                  onSet={(takesPoeClass) => put(n, { takesPoeClass })}
                />
              </td>
              <td className="text-right">
                <Button
                  tone="quiet"
                  aria-label={`Remove ${port.name}`}
                  onClick={() => onSet(ports.filter((_, k) => k !== n))}
                >
                  Remove
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {ports.length < PORTS_MAX ? (
        <span className="mt-1 flex items-center gap-2 text-[12px]">
          <Button onClick={add}>Add ports</Button>
          <CountField
            aria-label="How many ports"
            max={PORTS_MAX - ports.length}
            value={more}
            onChange={setMore}
            className="w-14 font-mono"
          />
          <span className="text-dim">like the last one, numbered on</span>
        </span>
      ) : null}
    </>
  );
}

function PortName({
  port,
  n,
  ports,
  onSet,
}: {
  port: ModelPort;
  n: number;
  ports: readonly ModelPort[];
  onSet: (name: string) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const name = (typed ?? port.name).trim();
  const isTaken = ports.some((p, k) => k !== n && p.name === name);
  const isBad = name === '' || isTaken;
  return (
    <TextField
      aria-label={`Name of port ${n + 1}`}
      aria-invalid={isBad}
      title={isTaken ? 'Another port has this name' : undefined}
      maxLength={80}
      value={typed ?? port.name}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={() => {
        if (typed !== null && !isBad) onSet(name);
        setTyped(null);
      }}
      className="w-full"
    />
  );
}

function Poe({
  label,
  value,
  onSet,
}: {
  label: string;
  value: PoeClass | null;
  onSet: (value: PoeClass | null) => void;
}) {
  return (
    <SelectField
      aria-label={label}
      value={value ?? ''}
      onChange={(e) => onSet(POE_CLASSES.find((c) => String(c) === e.target.value) ?? null)}
    >
      <option value="">no</option>
      {POE_CLASSES.map((c) => (
        <option key={c} value={c}>
          class {c}
        </option>
      ))}
    </SelectField>
  );
}

/** `Port 8` after `Port 7`; a name without a number goes on at 2. */
function nextName(name: string, taken: ReadonlySet<string>): string {
  const match = /^(.*?)(\d+)$/.exec(name);
  const stem = match?.[1] ?? `${name} `;
  for (let n = match === null ? 2 : Number(match[2]) + 1; ; n += 1) {
    if (!taken.has(`${stem}${n}`)) return `${stem}${n}`;
  }
}
