import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { fileOfPlan, type PlanFile } from '../core/formats/plan-file';
import { readPlanFile } from '../core/formats/read-plan-file';
import { Announcer, type AnnouncerSpec } from './announcer';
import { fleetOfPlan, ptpClocksOfPlan, type StandinPatched, type StandinSpec } from './fleet';
import { PtpFabric } from './ptp';
import { Violations } from './violations';
import { StandinNode, type StandinMemory } from './node';
import { panelServer } from './panel';
import { Registry } from '../registry/registry';
import { StandinSwitch, switchesOfPlan } from './switch';

/**
 * Plays every device of a plan on the loopback network, with a registry. Run as
 *   node standins.mjs '{"planFile": "…", "stateFile": "…", "registryPort": 8870, "panelPort": 8871, "devicePort": 8080}'
 */
interface Settings {
  readonly planFile: string;
  readonly stateFile: string;
  readonly registryAddress?: string;
  readonly registryPort: number;
  readonly panelPort: number;
  readonly devicePort: number;
  readonly expiryMs?: number;
  readonly heartbeatMs?: number;
  /** How many times faster than real time their PTP runs. */
  readonly ptpSpeed?: number;
  /** Devices that are there although the plan does not know them. */
  readonly strangers?: readonly StandinSpec[];
  /** Senders that only announce their streams, to whoever listens on this port of `registryAddress`. */
  readonly announcers?: readonly AnnouncerSpec[];
  readonly announcePort?: number;
  readonly announceMs?: number;
  /** Where the field is not as planned from the start. */
  readonly deviations?: {
    readonly slowPorts?: readonly {
      readonly switchId: string;
      readonly port: string;
      readonly bitsPerSecond: number;
    }[];
    readonly plugged?: readonly {
      readonly deviceId: string;
      readonly interface: string;
      readonly chassisId: string;
      readonly portId: string;
    }[];
    /** Patched otherwise when they are new. */
    readonly patched?: readonly {
      readonly deviceId: string;
      readonly terminalId: string;
      readonly channel: number;
      readonly from: StandinPatched | null;
    }[];
    /** Packs with little left, in per cent. */
    readonly batteries?: readonly { readonly deviceId: string; readonly channel: number; readonly percent: number }[];
  };
}

const settings = JSON.parse(process.argv[2] ?? '{}') as Settings;
const address = settings.registryAddress ?? '127.0.0.1';

function remembered(): Record<string, StandinMemory> {
  try {
    return JSON.parse(readFileSync(settings.stateFile, 'utf8')) as Record<string, StandinMemory>;
  } catch {
    return {};
  }
}

/** The plan may have been written by an earlier version. */
function planFile(): PlanFile {
  const read = readPlanFile(readFileSync(settings.planFile, 'utf8'));
  if (!read.ok) throw new Error(`${settings.planFile} is not a plan: ${read.problems[0]?.problem ?? ''}`);
  return fileOfPlan(read.plan);
}

const file = planFile();
const memories = remembered();
const registry = new Registry({ address, port: settings.registryPort, expiryMs: settings.expiryMs ?? 12_000 });
const nodes = new Map<string, StandinNode>();
const ptp = new PtpFabric(ptpClocksOfPlan(file), settings.ptpSpeed ?? 5);

let saving: NodeJS.Timeout | null = null;
function save(): void {
  if (saving !== null) clearTimeout(saving);
  saving = null;
  mkdirSync(dirname(settings.stateFile), { recursive: true });
  const text = JSON.stringify(Object.fromEntries([...nodes].map(([id, node]) => [id, node.memory()])));
  writeFileSync(`${settings.stateFile}.new`, text);
  renameSync(`${settings.stateFile}.new`, settings.stateFile);
}
const remember = () => {
  saving ??= setTimeout(save, 100);
};

const pluggedElsewhere = settings.deviations?.plugged ?? [];
const fleet = fleetOfPlan(file).map((spec) => ({
  ...spec,
  interfaces: spec.interfaces.map((i) => {
    const other = pluggedElsewhere.find((p) => p.deviceId === spec.id && p.interface === i.name);
    return other ? { ...i, attached: { chassisId: other.chassisId, portId: other.portId } } : i;
  }),
}));
const switches = new Map(switchesOfPlan(file).map((s) => [s.id, new StandinSwitch(s, settings.devicePort)]));
for (const { switchId, port, bitsPerSecond } of settings.deviations?.slowPorts ?? []) {
  switches.get(switchId)?.bringUp(port, { bitsPerSecond, duplex: 'full' });
}

for (const spec of [...fleet, ...(settings.strangers ?? [])]) {
  const options = {
    port: settings.devicePort,
    registryUrl: `http://${address}:${settings.registryPort}`,
    heartbeatMs: settings.heartbeatMs ?? 5000,
    remember,
    ptp,
  };
  nodes.set(spec.id, new StandinNode(spec, options, memories[spec.id]));
}

for (const { deviceId, terminalId, channel, from } of settings.deviations?.patched ?? []) {
  if (memories[deviceId] === undefined && nodes.get(deviceId)?.repatch(terminalId, channel, from) === false)
    throw new Error(`${deviceId} cannot be patched so: ${terminalId} ${channel}`);
}

for (const { deviceId, channel, percent } of settings.deviations?.batteries ?? []) {
  if (nodes.get(deviceId)?.tell(channel, 'battery', percent) === false)
    throw new Error(`${deviceId} has no radio channel ${channel}`);
}

const announcers = new Map(
  (settings.announcePort === undefined ? [] : (settings.announcers ?? [])).map((spec) => [
    spec.id,
    new Announcer(spec, {
      to: { address, port: settings.announcePort as number },
      periodMs: settings.announceMs ?? 10_000,
    }),
  ]),
);

const violations = new Violations();
violations.watch();
const panel = panelServer({ nodes, switches, announcers }, ptp, address, settings.panelPort, remember, violations);
await registry.start();
await panel.start();
for (const id of switches.keys()) ptp.switchOn(id);
for (const announcer of announcers.values()) announcer.plug();
await Promise.all([...switches.values()].map((s) => s.plug()));
await Promise.all([...nodes].map(([id, node]) => (memories[id]?.isPlugged === false ? undefined : node.plug())));
console.log(JSON.stringify({ ready: true, devices: nodes.size }));

let isStopping = false;
async function stop(): Promise<void> {
  if (isStopping) return;
  isStopping = true;
  save();
  process.exit(0);
}
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
process.on('disconnect', () => void stop());
