import { brokenConstraint, readConstraints } from '../core/formats/constraints';
import { AUDIO } from '../core/formats/is04';
import { PARENT_OF, problemsOfResource, RESOURCE_KINDS, type ResourceKind } from '../core/formats/is04-rules';
import { isRaw, rawList, rawOf, type Raw } from '../core/formats/raw';
import { visible } from '../core/plan/visible-text';
import { readSdp, type SdpSeverity } from '../core/formats/sdp';
import { failureOf, requestJson, requestText, type DeviceFailure } from './http-json';
import { RegistryClient } from './registry-client';

/**
 * Walks a real system and says what of it is not as the standards have it, or is not understood here. It only reads: no request changes
 * anything.
 */

interface Remark {
  readonly severity: SdpSeverity;
  /** Whose: the label of a node, device, sender or receiver, with its id. */
  readonly of: string;
  readonly standard: 'IS-04' | 'IS-05' | 'IS-08' | 'SDP' | 'BCP-002-02';
  readonly problem: string;
}

interface Conformance {
  readonly remarks: readonly Remark[];
  /** What was walked, by kind. */
  readonly counts: Readonly<Record<ResourceKind, number>>;
}

const LEG_FIELDS = {
  sender: ['source_ip', 'destination_ip', 'source_port', 'destination_port', 'rtp_enabled'],
  receiver: ['source_ip', 'interface_ip', 'destination_port', 'rtp_enabled'],
} as const;
const KNOWN_CONTROLS = [
  'urn:x-nmos:control:sr-ctrl/v1.',
  'urn:x-nmos:control:cm-ctrl/v1.',
  'urn:x-nmos:control:manifest-base/',
];
const SERIAL_TAG = 'urn:x-nmos:tag:asset:instance-id/v1.0';

const nameOf = (raw: Raw): string =>
  visible(`${String(raw['label'] ?? '') || 'without a label'} (${String(raw['id'])})`);

function words(failure: DeviceFailure): string {
  switch (failure.kind) {
    case 'timeout':
      return `no answer within ${failure.afterMs / 1000} s`;
    case 'unreachable':
      return `cannot be reached (${failure.detail})`;
    case 'refused':
      return `answers ${failure.status}${failure.detail === '' ? '' : `: ${failure.detail}`}`;
    case 'wrong-answer':
      return failure.detail;
    case 'not-allowed':
      return `sends us to ${failure.host}`;
    case 'resting':
      return 'was not asked';
  }
}

/** Why a request came to nothing, in words. */
export const reasonOf = (error: unknown): string => words(failureOf(error));

/** @param url the registry, up to its port @throws where the registry cannot be read at all */
export async function conformanceOf(url: string): Promise<Conformance> {
  const ignore = () => {};
  const events = { page: ignore, full: ignore, changed: ignore, connected: ignore, disconnected: ignore };
  const lists = await new RegistryClient(url, events).resources();
  const remarks: Remark[] = [];
  const byId = new Map<string, { kind: ResourceKind; raw: Raw }>();
  for (const kind of RESOURCE_KINDS) {
    for (const raw of lists[`${kind}s`] ?? []) byId.set(String(raw['id']), { kind, raw });
  }
  for (const { kind, raw } of byId.values()) remarkResource(kind, raw, byId, remarks);
  for (const { kind, raw } of byId.values()) if (kind === 'device') await walkDevice(raw, byId, remarks);
  const counts = Object.fromEntries(RESOURCE_KINDS.map((kind) => [kind, lists[`${kind}s`]?.length ?? 0]));
  return { remarks, counts: counts as Conformance['counts'] };
}

type ById = ReadonlyMap<string, { readonly kind: ResourceKind; readonly raw: Raw }>;

function remarkResource(kind: ResourceKind, raw: Raw, byId: ById, remarks: Remark[]): void {
  const of = `${kind} ${nameOf(raw)}`;
  const say = (severity: SdpSeverity, standard: Remark['standard'], problem: string) =>
    remarks.push({ severity, of, standard, problem });
  for (const problem of problemsOfResource(kind, raw)) say('caution', 'IS-04', problem);
  const parent = PARENT_OF[kind];
  if (parent !== null && byId.get(String(raw[parent[0]]))?.kind !== parent[1]) {
    say('error', 'IS-04', `/${parent[0]} names a ${parent[1]} that is not registered`);
  }
  if (kind === 'node' && rawOf(raw['tags'])[SERIAL_TAG] === undefined) {
    say('note', 'BCP-002-02', 'reports no serial: it is bound by its addresses, or by hand');
  }
  if (kind === 'node' && rawList(raw['clocks']).every((c) => c['ref_type'] !== 'ptp')) {
    say('note', 'IS-04', 'reports no PTP clock: which grandmaster it follows cannot be seen');
  }
  if (kind === 'device') {
    const controls = rawList(raw['controls']).map((c) => String(c['type']));
    const has = (type: string) => controls.some((c) => c.startsWith(type));
    if (!has('urn:x-nmos:control:sr-ctrl/v1.'))
      say('caution', 'IS-05', 'offers no connection management: it is watched and never written');
    if (!has('urn:x-nmos:control:cm-ctrl/v1.')) {
      say('caution', 'IS-08', 'has no channel map: which channel is in which position of a stream cannot be read');
    }
    for (const type of new Set(controls)) {
      if (!KNOWN_CONTROLS.some((known) => type.startsWith(known)))
        say('note', 'IS-04', `a control is not used here: ${type}`);
    }
  }
  if (kind === 'sender' || kind === 'receiver') {
    const flow = byId.get(String(raw['flow_id']))?.raw;
    const format = kind === 'sender' ? flow?.['format'] : raw['format'];
    if (kind === 'sender' && raw['flow_id'] != null && flow === undefined) {
      say('error', 'IS-04', '/flow_id names a flow that is not registered');
    }
    if (typeof format === 'string' && format !== AUDIO)
      say('note', 'IS-04', `carries ${format}: it is counted, and not planned`);
    const transport = String(raw['transport']);
    if (!/^urn:x-nmos:transport:rtp(\.|$)/.test(transport))
      say('note', 'IS-04', `goes over ${transport}, which is not RTP`);
    const interfaces = rawList(nodeOf(raw, byId)?.['interfaces']).map((i) => i['name']);
    for (const name of Array.isArray(raw['interface_bindings']) ? raw['interface_bindings'] : []) {
      if (!interfaces.includes(name))
        say('error', 'IS-04', `/interface_bindings names ${String(name)}, which its node does not have`);
    }
  }
}

function nodeOf(end: Raw, byId: ById): Raw | undefined {
  const device = byId.get(String(end['device_id']))?.raw;
  return device && byId.get(String(device['node_id']))?.raw;
}

async function walkDevice(device: Raw, byId: ById, remarks: Remark[]): Promise<void> {
  const controls = rawList(device['controls']);
  const hrefOf = (type: string) =>
    controls
      .filter((c) => String(c['type']).startsWith(`urn:x-nmos:control:${type}/v1.`))
      .map((c) => String(c['href']).replace(/\/$/, ''))[0];
  const [connection, map] = [hrefOf('sr-ctrl'), hrefOf('cm-ctrl')];
  const ends = [...byId.values()].filter(
    ({ kind, raw }) => (kind === 'sender' || kind === 'receiver') && raw['device_id'] === device['id'],
  );
  if (connection !== undefined) {
    for (const { kind, raw } of ends) {
      const isThere = await walkEnd(connection, kind as 'sender' | 'receiver', raw, byId, remarks);
      if (!isThere) break; // it does not answer: asking for each of its ends would take minutes
    }
  }
  if (map !== undefined) await walkMap(map, device, remarks);
}

/** @returns whether the device answered at all */
async function walkEnd(
  href: string,
  kind: 'sender' | 'receiver',
  raw: Raw,
  byId: ById,
  remarks: Remark[],
): Promise<boolean> {
  const of = `${kind} ${nameOf(raw)}`;
  const say = (severity: SdpSeverity, standard: Remark['standard'], problem: string) =>
    remarks.push({ severity, of, standard, problem });
  const base = `${href}/single/${kind}s/${encodeURIComponent(String(raw['id']))}`;
  const answers: Record<string, unknown> = {};
  for (const path of ['constraints', 'staged', 'active', 'transporttype']) {
    try {
      answers[path] = (await requestJson(`${base}/${path}`)).value;
    } catch (error) {
      const failure = failureOf(error);
      say(path === 'transporttype' ? 'note' : 'error', 'IS-05', `/${path}: ${words(failure)}`);
      if (failure.kind === 'timeout' || failure.kind === 'unreachable') return false;
    }
  }
  const constraints = readConstraints(answers['constraints']);
  const legs = constraints?.length ?? null;
  for (const path of ['staged', 'active'] as const) {
    const state = answers[path];
    if (state === undefined) continue;
    if (!isRaw(state)) {
      say('error', 'IS-05', `/${path} is not an object`);
      continue;
    }
    if (typeof state['master_enable'] !== 'boolean')
      say('error', 'IS-05', `/${path}/master_enable is not true or false`);
    const peer = kind === 'sender' ? 'receiver_id' : 'sender_id';
    if (!(peer in state)) say('caution', 'IS-05', `/${path}/${peer} is missing`);
    if (kind === 'receiver' && !('transport_file' in state))
      say('caution', 'IS-05', `/${path}/transport_file is missing`);
    if (!isRaw(state['activation'])) say('caution', 'IS-05', `/${path}/activation is missing`);
    const params = state['transport_params'];
    if (!Array.isArray(params)) {
      say('error', 'IS-05', `/${path}/transport_params is not a list`);
      continue;
    }
    if (legs !== null && params.length !== legs) {
      say('error', 'IS-05', `/${path}/transport_params has ${params.length} legs, /constraints has ${legs}`);
    }
    const broken = constraints === null ? null : brokenConstraint(constraints, params.map(rawOf));
    if (broken !== null) {
      const { leg, parameter, value, takes } = broken;
      const why = takes === null ? 'is not among' : `is ${JSON.stringify(value)}; it takes ${takes} by`;
      say('caution', 'IS-05', `/${path}/transport_params/${leg}/${parameter} ${why} its /constraints`);
    }
    for (const [n, leg] of params.entries()) {
      for (const field of LEG_FIELDS[kind]) {
        if (!(field in rawOf(leg))) say('error', 'IS-05', `/${path}/transport_params/${n}/${field} is missing`);
      }
      const open = path === 'active' ? Object.entries(rawOf(leg)).find(([, value]) => value === 'auto') : undefined;
      if (open !== undefined) say('error', 'IS-05', `/active/transport_params/${n}/${open[0]} is still auto`);
    }
  }
  const isActive = rawOf(answers['active'])['master_enable'] === true;
  if (isActive !== (rawOf(raw['subscription'])['active'] === true) && answers['active'] !== undefined) {
    say(
      'caution',
      'IS-04',
      `the registry says that it is ${isActive ? 'off' : 'on'}, the device says that it is ${isActive ? 'on' : 'off'}`,
    );
  }
  if (kind === 'sender' && isActive) await walkTransportFile(base, raw, byId, say);
  return true;
}

async function walkTransportFile(
  base: string,
  sender: Raw,
  byId: ById,
  say: (severity: SdpSeverity, standard: Remark['standard'], problem: string) => void,
): Promise<void> {
  let text: string;
  try {
    ({ text } = await requestText(`${base}/transportfile`));
  } catch (error) {
    return say('error', 'IS-05', `/transportfile: ${words(failureOf(error))}`);
  }
  const flow = byId.get(String(sender['flow_id']))?.raw;
  if (flow !== undefined && flow['format'] !== AUDIO) return;
  const { audio, problems } = readSdp(text);
  for (const { line, severity, problem } of problems)
    say(severity, 'SDP', `${line === null ? '' : `line ${line}: `}${problem}`);
  const rate = rawOf(flow?.['sample_rate']);
  const told = Number(rate['numerator']) / Number(rate['denominator'] ?? 1);
  if (audio !== null && Number.isFinite(told) && told !== audio.format.rateHz) {
    say('caution', 'SDP', `it has ${audio.format.rateHz} Hz, the flow in the registry ${told} Hz`);
  }
  const source = byId.get(String(flow?.['source_id']))?.raw;
  const channels = Array.isArray(source?.['channels']) ? source['channels'].length : null;
  if (audio !== null && channels !== null && channels !== audio.channels) {
    say('caution', 'SDP', `it has ${audio.channels} channels, the source in the registry ${channels}`);
  }
}

async function walkMap(href: string, device: Raw, remarks: Remark[]): Promise<void> {
  const of = `device ${nameOf(device)}`;
  const say = (severity: SdpSeverity, problem: string) => remarks.push({ severity, of, standard: 'IS-08', problem });
  let io: Raw;
  let map: Raw;
  try {
    io = rawOf((await requestJson(`${href}/io`)).value);
    map = rawOf(rawOf((await requestJson(`${href}/map/active`)).value)['map']);
  } catch (error) {
    return void say('error', `its channel map: ${words(failureOf(error))}`);
  }
  const inputs = rawOf(io['inputs']);
  for (const [id, output] of Object.entries(rawOf(io['outputs']))) {
    const channels = rawOf(output)['channels'];
    if (!Array.isArray(channels)) say('error', `/io/outputs/${id}/channels is not a list`);
    const entries = rawOf(map[id]);
    const missing = (Array.isArray(channels) ? channels : []).findIndex((_, n) => !isRaw(entries[String(n)]));
    if (missing >= 0) say('error', `/map/active/map/${id}/${missing} is missing`);
    for (const [n, entry] of Object.entries(entries)) {
      const input = rawOf(entry)['input'];
      if (typeof input === 'string' && !(input in inputs))
        say('error', `/map/active/map/${id}/${n} is fed by ${input}, which is not an input`);
    }
  }
}
