import { problemsOfResource, RESOURCE_KINDS, type ResourceKind } from './is04-rules';
import { each, fields, is, object, orNull, text, truth, uuid, version, type Check } from './json-checks';
import { isRaw, type Raw } from './raw';

/** What the schemas of IS-04, IS-05 and IS-08 want of answers, as far as we use them. */

const MODES = ['activate_immediate', 'activate_scheduled_absolute', 'activate_scheduled_relative'];
const activation = fields({
  mode: orNull(is('a mode of activation', (v) => MODES.includes(v as string))),
  requested_time: orNull(version),
  activation_time: orNull(version),
});
const port = is(
  'a port or auto',
  (v) => v === 'auto' || (Number.isInteger(v) && (v as number) >= 0 && (v as number) <= 65_535),
);
const address = is('an IPv4 or IPv6 address, or auto', (v) => typeof v === 'string' && /^(auto|[0-9a-f:.]+)$/i.test(v));

const senderLeg = fields({
  source_ip: address,
  destination_ip: address,
  source_port: port,
  destination_port: port,
  rtp_enabled: truth,
});
const receiverLeg = fields({
  source_ip: orNull(address),
  multicast_ip: orNull(address),
  interface_ip: address,
  destination_port: port,
  rtp_enabled: truth,
});
const senderState = fields({
  receiver_id: orNull(uuid),
  master_enable: truth,
  activation,
  transport_params: each(senderLeg),
});
const receiverState = fields({
  sender_id: orNull(uuid),
  master_enable: truth,
  activation,
  transport_file: fields({ data: orNull(text), type: orNull(text) }),
  transport_params: each(receiverLeg),
});
/** Active never shows `auto`: what was left to the device is resolved there (IS-05, "Behaviour: automatic values"). */
const resolved: Check = (value) => (JSON.stringify(value).includes('"auto"') ? 'shows auto where it is active' : null);
const both =
  (...checks: readonly Check[]): Check =>
  (value) =>
    checks.map((check) => check(value)).find((problem) => problem !== null) ?? null;
const byName =
  (check: Check): Check =>
  (value) => {
    if (!isRaw(value)) return 'is not an object';
    for (const [name, one] of Object.entries(value)) {
      const problem = check(one);
      if (problem !== null) return `/${name} ${problem}`;
    }
    return null;
  };

const index = is('a channel or null', (v) => v === null || (Number.isInteger(v) && (v as number) >= 0));
const map = byName(byName(fields({ input: orNull(text), channel_index: index })));
const labelled = each(fields({ label: text }));
const io = fields({
  inputs: byName(
    fields({
      parent: fields({
        id: orNull(uuid),
        type: orNull(is('source or receiver', (v) => v === 'source' || v === 'receiver')),
      }),
      channels: labelled,
      caps: fields({
        reordering: truth,
        block_size: is('a size of blocks', (v) => Number.isInteger(v) && (v as number) > 0),
      }),
      properties: fields({ name: text, description: text }),
    }),
  ),
  outputs: byName(
    fields({
      source_id: orNull(uuid),
      channels: labelled,
      caps: fields({ routable_inputs: orNull(each(orNull(text))) }),
      properties: fields({ name: text, description: text }),
    }),
  ),
});
const scheduled = fields({ activation, action: map });
const error = fields({
  code: is('a status', (v) => Number.isInteger(v) && (v as number) >= 400 && (v as number) <= 599),
  error: text,
  debug: orNull(text),
});
const resource =
  (kind: ResourceKind): Check =>
  (value) =>
    isRaw(value) ? (problemsOfResource(kind, value)[0] ?? null) : 'is not an object';
const constraints = each(byName(object));

const KIND = new Map<string, ResourceKind>(RESOURCE_KINDS.map((kind) => [`${kind}s`, kind]));
/** By the path of a request: what an answer with a body is held against. Registries tell of earlier versions too, which want less. */
const ANSWERS: readonly (readonly [RegExp, (match: RegExpExecArray) => Check])[] = [
  [/\/node\/v1\.3\/self\/?$/, () => resource('node')],
  [/\/node\/v1\.3\/(\w+s)\/?$/, ([, kind = '']) => each(resource(KIND.get(kind) ?? 'node'))],
  [/\/node\/v1\.3\/(\w+s)\/[^/]+\/?$/, ([, kind = '']) => resource(KIND.get(kind) ?? 'node')],
  [
    /\/query\/v1\.3\/(nodes|devices|sources|flows|senders|receivers)\/?$/,
    () => each(fields({ id: uuid, version, label: text })),
  ],
  [/\/single\/senders\/[^/]+\/staged\/?$/, () => senderState],
  [/\/single\/receivers\/[^/]+\/staged\/?$/, () => receiverState],
  [/\/single\/senders\/[^/]+\/active\/?$/, () => both(senderState, resolved)],
  [/\/single\/receivers\/[^/]+\/active\/?$/, () => both(receiverState, resolved)],
  [/\/single\/\w+\/[^/]+\/constraints\/?$/, () => constraints],
  [/\/channelmapping\/v1\.0\/io\/?$/, () => io],
  [/\/channelmapping\/v1\.0\/map\/active\/?$/, () => fields({ activation, map })],
  [/\/channelmapping\/v1\.0\/map\/activations\/?$/, () => byName(scheduled)],
];

/** One request to an NMOS interface, and what was answered. */
export interface Exchange {
  readonly method: string;
  readonly path: string;
  readonly status: number;
  readonly body: unknown;
}

/** What of an answer the standards do not allow; null: nothing. */
export function answerProblem({ path, status, body }: Exchange): string | null {
  if (!path.startsWith('/x-nmos/') || body === undefined) return null;
  if (status >= 400) return error(body);
  for (const [pattern, checkFor] of ANSWERS) {
    const match = pattern.exec(path);
    if (match !== null) return checkFor(match)(body);
  }
  // A list of what is below, each with a slash at its end.
  return Array.isArray(body) || isRaw(body as Raw) || typeof body === 'string'
    ? null
    : 'is not an answer of an NMOS interface';
}

/** Whether a request was refused for what it was: something that the standards do not allow. */
export const isRefusedRequest = ({ path, status }: Exchange): boolean => path.startsWith('/x-nmos/') && status === 400;
