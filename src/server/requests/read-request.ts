import type { JsonLimits } from '../../core/formats/bounded-json';
import type { Plan } from '../../core/plan/plan';
import { planOfFile } from '../../core/formats/plan-file';
import { readPlanFile } from '../../core/formats/read-plan-file';
import { RequestProblem } from '../problem';
import { checked, objectIn, REQUEST_LIMITS, textOf } from '../validate';
import { largeBodies } from './large-bodies';
import { planOfResult } from './plan-of-result';
import { LARGE_REQUESTS, type RequestName } from './requests';

/** Everything that enters the server passes here: type, size, text, JSON, shape. */

const BODY_MAX_BYTES = 5 * 1024 * 1024;
/** What is larger is read and checked beside the thread that serves everyone. */
export const LARGE_BYTES = 1024 * 1024;

export interface BodyLimits {
  readonly bytesMax?: number;
  readonly limits?: JsonLimits;
}

/** Who sends something large: by the front door, their address and key. */
const senderOf = (request: Request): string => request.headers.get('x-sender') ?? 'somebody';

function mustBeJson(request: Request): void {
  const type = (request.headers.get('content-type') ?? '').split(';')[0]?.trim().toLowerCase();
  if (type !== 'application/json') throw new RequestProblem(415, 'not-json', 'The request must be application/json.');
}

const tooLarge = (bytesMax: number) =>
  new RequestProblem(413, 'too-large', `The request is larger than ${bytesMax} bytes.`);

/**
 * Reads the octets of a request. One that is too large is refused as soon as that is known, and not held in memory; one that is large waits
 * for `whenLarge` before more of it is read.
 */
async function octetsOf(request: Request, bytesMax: number, whenLarge: () => Promise<void>): Promise<Uint8Array> {
  const told = Number(request.headers.get('content-length') ?? 0);
  if (told > bytesMax) throw tooLarge(bytesMax);
  let isLarge = told > LARGE_BYTES;
  if (isLarge) await whenLarge();
  const reader = request.body?.getReader();
  if (reader === undefined) return new Uint8Array();
  const chunks: Uint8Array[] = [];
  let size = 0;
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    size += part.value.byteLength;
    if (size > bytesMax) {
      await reader.cancel();
      throw tooLarge(bytesMax);
    }
    if (!isLarge && size > LARGE_BYTES) {
      isLarge = true;
      await whenLarge();
    }
    chunks.push(part.value);
  }
  const octets = new Uint8Array(size);
  let at = 0;
  for (const chunk of chunks) {
    octets.set(chunk, at);
    at += chunk.byteLength;
  }
  return octets;
}

/** Runs with a body in hand; a large one has its place among the large ones for as long as it takes. */
async function withBody<T>(
  request: Request,
  bytesMax: number,
  run: (octets: Uint8Array, isLarge: boolean) => Promise<T>,
): Promise<T> {
  mustBeJson(request);
  let leave: (() => void) | null = null;
  try {
    const octets = await octetsOf(request, bytesMax, async () => {
      leave = await largeBodies().enter(senderOf(request));
    });
    return await run(octets, leave !== null);
  } finally {
    (leave as (() => void) | null)?.();
  }
}

/** The request in a body, as its declaration wants it. */
export async function readRequest<T extends object>(
  request: Request,
  type: new () => T,
  { bytesMax = BODY_MAX_BYTES, limits = REQUEST_LIMITS }: BodyLimits = {},
): Promise<T> {
  const name = (Object.keys(LARGE_REQUESTS) as RequestName[]).find((n) => Object.is(LARGE_REQUESTS[n], type));
  return withBody(request, name === undefined ? LARGE_BYTES : bytesMax, async (octets, isLarge) => {
    if (!isLarge || name === undefined) return checked(objectIn(textOf(octets), limits), type);
    return (await largeBodies().read({ kind: 'request', name, limits }, octets)) as T;
  });
}

/** The plan in a body that is a plan file. */
export async function readPlanRequest(request: Request, bytesMax: number): Promise<Plan> {
  return withBody(request, bytesMax, async (octets, isLarge) => {
    if (!isLarge) return planOfResult(readPlanFile(textOf(octets)));
    return planOfFile((await largeBodies().read({ kind: 'plan-file' }, octets)) as never);
  });
}
