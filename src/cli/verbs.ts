import { readFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { settleClocks } from '../core/clocks/best-master';
import { readClockCase } from '../core/formats/clock-case';
import { readPlanFile } from '../core/formats/read-plan-file';
import { readSdp } from '../core/formats/sdp';
import { formatAddress, parseCidr } from '../core/network/address';
import type { Finding } from '../core/findings/finding';
import { areaOf } from '../core/findings/areas';
import { FieldFindings, NOTHING_FOUND } from '../core/findings/field-rules';
import { streamsOn } from '../core/findings/loads';
import { endsOf, shareOf, totalBitsPerSecond } from '../core/network/loads';
import { doOverlap, subnetFigures } from '../core/network/subnets';
import type { Plan } from '../core/plan/plan';
import { reckon } from '../core/reckon/reckon';
import { provenFixes } from '../core/reckon/proven-fixes';
import { ENCODINGS, PACKET_TIMES_US, RATES_HZ } from '../core/streams/format';
import { streamSum, streamSumProblem } from '../core/streams/wire';
import { soundName } from '../core/signal/channel-names';
import { LINK_FORMATS, LINK_RATES_HZ, linkCapacity, type LinkFormat } from '../core/signal/link-capacity';
import { followSignal } from '../core/signal/follow';
import { terminalsOf } from '../core/signal/terminals';
import { generatePlan } from '../demo/generate';

/** What a person got wrong: told in one line on standard error, exit code 2. */
class UsageError extends Error {}

const LINK_NAMES = LINK_FORMATS.map((f) => f.toLowerCase());

const HELP: Record<string, string> = {
  sum: `sum --channels N --rate HZ --encoding ${ENCODINGS.join('|')} --packet-time-us ${PACKET_TIMES_US.join('|')} [--vlan]
  Bits on the wire of one leg of a stream, with the working.`,
  sdp: `sdp FILE
  What we read from an SDP file (- for standard input), with the problems found, each with its severity:
  note, caution, or error for what cannot be heard. Exit code 2 when no stream can be read.`,
  generate: `generate --devices N --seed N [--subscriptions N]
  A made-up plan file.`,
  check: `check PLAN.json
  The findings of a plan, each with its fixes. Exit code 1 when there is a refusal.`,
  subnet: `subnet CIDR [CIDR…]
  Network, broadcast, first, last and usable hosts of each, and which of them overlap.`,
  loads: `loads PLAN.json
  Bits per second on every link, each way, the busiest first.`,
  clocks: `clocks CASE.json
  Who keeps time: grandmaster, steps, parent and port states of every clock by the best-master comparison of IEEE 1588.`,
  follow: `follow PLAN.json --device ID --terminal ID --channel N [--back]
  Everything that a channel feeds, step by step; with --back everything that feeds it. Channels of a terminal count from 1. A step names the
  step it follows on (after), how (via), and what does not fit there (misfit).`,
  capacity: `capacity --format ${LINK_NAMES.join('|')} --rate-hz ${LINK_RATES_HZ.join('|')} [--varispeed] [--two-wire]
  How many channels a link carries; MADI in its older frame with --varispeed, AES3 over two cables with --two-wire (channels of one of them).`,
  reckon: `reckon PLAN.json
  Everything worked out from a plan: streams, lanes, budgets, findings, totals.`,
};

type Options = Record<string, { type: 'string' | 'boolean' }>;

function optionsOf(args: string[], options: Options, positionals: number) {
  let parsed;
  try {
    parsed = parseArgs({ args, options, allowPositionals: positionals > 0, strict: true });
  } catch (error) {
    throw new UsageError((error as Error).message);
  }
  if (parsed.positionals.length !== positionals) throw new UsageError('wants one file');
  return parsed;
}

function wholeNumber(
  values: Record<string, unknown>,
  name: string,
  min: number,
  max: number,
  fallback?: number,
): number {
  const text = values[name];
  if (text === undefined) {
    if (fallback !== undefined) return fallback;
    throw new UsageError(`--${name} is missing`);
  }
  const value = Number(text);
  if (!Number.isInteger(value) || value < min || value > max) {
    throw new UsageError(`--${name} ${String(text)}: wants a whole number from ${min} to ${max}`);
  }
  return value;
}

function oneOf<T extends string | number>(values: Record<string, unknown>, name: string, allowed: readonly T[]): T {
  const text = values[name];
  if (text === undefined) throw new UsageError(`--${name} is missing`);
  const found = allowed.find((a) => String(a) === text);
  if (found === undefined) throw new UsageError(`--${name} ${String(text)}: wants one of ${allowed.join(', ')}`);
  return found;
}

function readInput(path: string): string {
  try {
    return readFileSync(path === '-' ? 0 : path, 'utf8');
  } catch (error) {
    throw new UsageError(`${path}: ${(error as NodeJS.ErrnoException).code ?? 'cannot be read'}`);
  }
}

function readPlan(path: string): Plan {
  const result = readPlanFile(readInput(path));
  if (!result.ok) throw new UsageError(result.problems.map((p) => `${path}: ${p.at}: ${p.problem}`).join('\n'));
  return result.plan;
}

function sum(args: string[]) {
  const string = { type: 'string' } as const;
  const { values } = optionsOf(
    args,
    { channels: string, rate: string, encoding: string, 'packet-time-us': string, vlan: { type: 'boolean' } },
    0,
  );
  const channels = wholeNumber(values, 'channels', 1, 4096);
  const format = {
    rateHz: oneOf(values, 'rate', RATES_HZ),
    encoding: oneOf(values, 'encoding', ENCODINGS),
    packetTimeUs: oneOf(values, 'packet-time-us', PACKET_TIMES_US),
  };
  const problem = streamSumProblem(channels, format);
  if (problem?.reason === 'payload-too-large') {
    const { payloadBytes, limitBytes, channelsMax } = problem;
    throw new UsageError(
      `--channels ${channels}: ${payloadBytes} bytes of payload are more than ${limitBytes}; at most ${channelsMax} channels fit`,
    );
  }
  if (problem !== null) throw new UsageError(`--channels ${channels}: AM824 wants an even count`);
  return streamSum(channels, format, values['vlan'] === true);
}

function sdp(args: string[]): Answer {
  const { positionals } = optionsOf(args, {}, 1);
  const value = readSdp(readInput(positionals[0] as string));
  return { value, status: value.audio === null ? 2 : 0 };
}

function generate(args: string[]) {
  const string = { type: 'string' } as const;
  const { values } = optionsOf(args, { devices: string, seed: string, subscriptions: string }, 0);
  const devices = wholeNumber(values, 'devices', 4, 5000);
  const seed = wholeNumber(values, 'seed', 0, 2 ** 31, 1);
  const subscriptions =
    values['subscriptions'] === undefined ? {} : { subscriptions: wholeNumber(values, 'subscriptions', 0, 500_000) };
  return generatePlan({ devices, seed, ...subscriptions });
}

/** A finding as this command has always written it: the area of a plan that it is about is called its stage. */
function written(finding: Finding) {
  return { ...finding, stage: areaOf(finding) };
}

function check(args: string[]): Answer {
  const { positionals } = optionsOf(args, {}, 1);
  const plan = readPlan(positionals[0] as string);
  const reckoning = reckon(plan);
  const { totals } = reckoning;
  const inTime = new FieldFindings().of({
    ...plan,
    ...NOTHING_FOUND,
    keptTime: reckoning.clocks.time,
    now: Date.now(),
  });
  const findings = [...reckoning.findings, ...inTime];
  const value = {
    refusals: totals.refusals,
    cautions: findings.filter((f) => f.severity === 'caution').length,
    findings: findings.map((finding) => ({ ...written(finding), fixes: provenFixes(reckoning, finding) })),
  };
  return { value, status: totals.refusals > 0 ? 1 : 0 };
}

function subnet(args: string[]) {
  let texts: string[];
  try {
    texts = parseArgs({ args, options: {}, allowPositionals: true, strict: true }).positionals;
  } catch (error) {
    throw new UsageError((error as Error).message);
  }
  if (texts.length === 0) throw new UsageError('wants at least one CIDR, such as 10.71.36.0/24');
  const blocks = texts.map((text) => {
    const block = parseCidr(text);
    if (block === null)
      throw new UsageError(`${text}: not an IPv4 block; wants four numbers from 0 to 255 and /0 to /32`);
    return { text, block };
  });
  const overlaps = blocks.flatMap(({ text, block }, n) =>
    blocks
      .slice(n + 1)
      .filter((other) => doOverlap(block, other.block))
      .map((other) => ({ a: text, b: other.text })),
  );
  return { subnets: blocks.map(({ text, block }) => ({ cidr: text, ...subnetFigures(block) })), overlaps };
}

function loads(args: string[]) {
  const { positionals } = optionsOf(args, {}, 1);
  const reckoning = reckon(readPlan(positionals[0] as string));
  const { topology, loads, loadFrame, plan } = reckoning;
  const directions = topology.links.flatMap((_, index) =>
    [2 * index, 2 * index + 1].map((directed) => {
      const { link, sends, hears } = endsOf(topology.links, directed);
      const bitsPerSecond = totalBitsPerSecond(loads, loadFrame, directed);
      const usableBitsPerSecond = loadFrame.usableBitsPerSecond[index] as number;
      const share = shareOf(bitsPerSecond, usableBitsPerSecond);
      return {
        linkId: link.id,
        from: sends,
        to: hears,
        mediaBitsPerSecond: loads.mediaBitsPerSecond[directed] as number,
        towardsQuerierBitsPerSecond: loads.querierBitsPerSecond[directed] as number,
        floodedBitsPerSecond: loads.floodedBitsPerSecond[directed] as number,
        allowanceBitsPerSecond: loadFrame.allowances[index]?.bitsPerSecond ?? 0,
        bitsPerSecond,
        linkBitsPerSecond: link.bitsPerSecond,
        setAsidePercent: link.setAsidePercent,
        share,
        isOverCeiling: share * 100 > plan.settings.loadCeilingPercent,
        streams: streamsOn(loads, directed).map(({ runsFor, ...s }) => ({
          ...s,
          isForQuerier: runsFor === 'querier',
          isFlooded: runsFor === 'flood',
        })),
      };
    }),
  );
  directions.sort((a, b) => b.share - a.share || (a.linkId < b.linkId ? -1 : 1));
  return { ceilingPercent: plan.settings.loadCeilingPercent, links: directions };
}

function clocks(args: string[]) {
  const { positionals } = optionsOf(args, {}, 1);
  const path = positionals[0] as string;
  const result = readClockCase(readInput(path));
  if (!result.ok) throw new UsageError(result.problems.map((p) => `${path}: ${p.at}: ${p.problem}`).join('\n'));
  const { clocks: all, lost } = result;
  const states = settleClocks(all.filter((c) => !lost.has(c.id)));
  const answers = [...states.values()].map((state) => {
    const { ports } = all.find((c) => c.id === state.id) as { ports: readonly string[] };
    const identity = state.grandmasterIdentity;
    return [
      state.id,
      {
        grandmasterIdentity: result.writtenAs.get(identity) ?? null,
        stepsRemoved: state.stepsRemoved,
        parent: state.parent,
        ports: Object.fromEntries(ports.map((name, n) => [name, state.portStates[n]])),
      },
    ] as const;
  });
  return Object.fromEntries(answers.sort(([a], [b]) => (a < b ? -1 : 1)));
}

function reckonVerb(args: string[]) {
  const { positionals } = optionsOf(args, {}, 1);
  const plan = readPlan(positionals[0] as string);
  const { streamsBySender, groupsByStream, lanesByReceiver, budgetByDevice, findings, totals } = reckon(plan);
  const groupText = (group: number | null | undefined) => (group == null ? null : formatAddress(group));
  return {
    totals,
    streams: [...streamsBySender.values()].flat().map(({ sent, formatKey: _key, groupSeed: _seed, ...stream }) => ({
      ...stream,
      isSent: sent !== null,
      groupA: groupText(groupsByStream.get(stream.id)?.A),
      groupB: groupText(groupsByStream.get(stream.id)?.B),
      ...streamSum(stream.width, stream.format, plan.settings.vlanTagged),
    })),
    lanes: [...lanesByReceiver.values()].flatMap((lanes) =>
      [...lanes.values()].map((lane) => ({
        ...lane.subscription,
        verdict: lane.verdict,
        streamId: lane.reception?.stream.id ?? null,
        position: lane.verdict === 'refused' ? null : lane.position,
        receiverSlot: lane.reception?.receiverStreamNumber ?? null,
        offset: lane.reception?.offset ?? null,
        reason: lane.verdict === 'refused' ? lane.reason : lane.reception.caution,
      })),
    ),
    budgets: Object.fromEntries(budgetByDevice),
    findings: findings.map(written),
  };
}

function capacity(args: string[]) {
  const string = { type: 'string' } as const;
  const flag = { type: 'boolean' } as const;
  const { values } = optionsOf(args, { format: string, 'rate-hz': string, varispeed: flag, 'two-wire': flag }, 0);
  const name = oneOf(values, 'format', LINK_NAMES);
  const rateHz = oneOf(values, 'rate-hz', LINK_RATES_HZ);
  const mode = { isVarispeed: values['varispeed'] === true, isTwoWire: values['two-wire'] === true };
  if (mode.isVarispeed && name !== 'madi') throw new UsageError(`--varispeed: a frame of madi, not of ${name}`);
  if (mode.isTwoWire && name !== 'aes3') throw new UsageError(`--two-wire: a mode of aes3, not of ${name}`);
  const format = LINK_FORMATS[LINK_NAMES.indexOf(name)] as LinkFormat;
  return { format, rateHz, channels: linkCapacity(format, rateHz, mode) };
}

function follow(args: string[]) {
  const string = { type: 'string' } as const;
  const { values, positionals } = optionsOf(
    args,
    { device: string, terminal: string, channel: string, back: { type: 'boolean' } },
    1,
  );
  const plan = readPlan(positionals[0] as string);
  for (const name of ['device', 'terminal'])
    if (values[name] === undefined) throw new UsageError(`--${name} is missing`);
  const deviceId = values['device'] as string;
  const terminalId = values['terminal'] as string;
  const model = plan.models.get(plan.devices.get(deviceId)?.modelId ?? '');
  if (model === undefined) throw new UsageError(`--device ${deviceId}: the plan has no such device`);
  const terminals = terminalsOf(model);
  const terminal = terminals.find((t) => t.id === terminalId);
  if (terminal === undefined) {
    const has = terminals.length === 0 ? 'it has none' : `it has ${terminals.map((t) => t.id).join(', ')}`;
    throw new UsageError(`--terminal ${terminalId}: ${deviceId} has no such terminal; ${has}`);
  }
  const channel = wholeNumber(values, 'channel', 1, terminal.channels);
  const { signal: graph, lanesByReceiver } = reckon(plan);
  const laneOf = (id: string, n: number) => lanesByReceiver.get(id)?.get(n);
  const steps = followSignal(
    { graph, plan, laneOf },
    { deviceId, terminalId, channel },
    values['back'] ? 'back' : 'forward',
  );
  return steps.map(({ deviceId: device, terminalId: at, channel: n, ...step }) => ({
    device,
    terminal: at,
    channel: n,
    name: soundName(graph, plan, { deviceId: device, terminalId: at, channel: n }),
    ...step,
  }));
}

/** What is written as JSON, and the exit code where it is not 0. */
interface Answer {
  readonly value: unknown;
  readonly status?: number;
}

const always =
  (value: (args: string[]) => unknown) =>
  (args: string[]): Answer => ({ value: value(args) });

const VERBS: Record<string, (args: string[]) => Answer> = {
  sum: always(sum),
  sdp,
  generate: always(generate),
  check,
  subnet: always(subnet),
  loads: always(loads),
  clocks: always(clocks),
  follow: always(follow),
  capacity: always(capacity),
  reckon: always(reckonVerb),
};

/** What a call of `jade` ends with. */
export interface Ended {
  /** The exit code: 0; 1 where what was asked about is refused; 2 where something was wrong with how it was asked. */
  readonly status: number;
  readonly stdout: string;
  readonly stderr: string;
}

const answered = (stdout: string): Ended => ({ status: 0, stdout, stderr: '' });
const wrong = (stderr: string): Ended => ({ status: 2, stdout: '', stderr });

/** What `jade` says to these arguments. Reads files, and writes nothing. */
export function jade([verb, ...args]: readonly string[]): Ended {
  const run = verb === undefined ? undefined : VERBS[verb];
  if (verb === undefined || verb === '--help' || run === undefined) {
    const usage = `jade VERB …, JSON on standard output\n\n${Object.values(HELP).join('\n\n')}\n`;
    if (verb === '--help') return answered(usage);
    return wrong(verb === undefined ? usage : `jade: no verb ${verb}\n\n${usage}`);
  }
  if (args.includes('--help')) return answered(`jade ${HELP[verb] ?? verb}\n`);
  try {
    const { value, status = 0 } = run(args);
    return { ...answered(`${JSON.stringify(value, null, 2)}\n`), status };
  } catch (error) {
    if (!(error instanceof UsageError)) throw error;
    return wrong(`jade ${verb}: ${error.message}\n`);
  }
}
