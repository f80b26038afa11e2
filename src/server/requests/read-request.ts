import { setTimeout as rest } from 'node:timers/promises';
import type { Plan } from '../../core/plan/plan';
import { readPlanFile } from '../../core/formats/read-plan-file';
import type { PlanToMake } from '../make-plan';
import { RequestProblem } from '../problem';
import { checked, objectIn, REQUEST_LIMITS, textOf } from '../validate';
import { largeBodies, type LargeBodies } from './large-bodies';
import { planOfResult } from './plan-of-result';
import { LARGE_REQUESTS, type LargeRequestName } from './requests';

/** Everything that enters the server passes here: type, size, text, JSON, shape. */

/** What is larger is read and checked beside the thread that serves everyone. */
export const LARGE_BYTES = 1024 * 1024;

/** Who sends something large: by the front door, their address and key. */
const senderOf = (request: Request): string => request.headers.get('x-sender') ?? 'somebody';

function mustBeJson(request: Request): void {
  const type = (request.headers.get('content-type') ?? '').split(';')[0]?.trim().toLowerCase();
  if (type !== 'application/json') throw new RequestProblem(415, 'not-json', 'The request must be application/json.');
}

const tooLarge = (bytesMax: number) =>
  new RequestProblem(413, 'too-large', `The request is larger than ${bytesMax} bytes.`);

/** A body has this long to begin, and comes at this pace at least: slower ones are let go, and nobody waits for them. */
const BEGINS_WITHIN_MS = 10_000;
const LEAST_BYTES_PER_MS = 32;
/** Others have this long once a large one was read. */
const REST_MS = 25;

const tooSlow = () =>
  new RequestProblem(408, 'too-slow', 'The request came too slowly. Try again over a faster connection.');

/** The next part of a body; throws where it does not come in time. */
async function nextPart(reader: BodyReader, size: number, begunAt: number, withinMs: number) {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    const left = begunAt + withinMs + size / LEAST_BYTES_PER_MS - performance.now();
    timer = setTimeout(() => reject(tooSlow()), Math.max(0, left));
  });
  try {
    return await Promise.race([reader.read(), late]);
  } finally {
    clearTimeout(timer);
  }
}

type BodyReader = ReadableStreamDefaultReader<Uint8Array<ArrayBuffer>>;

/**
 * Reads the octets of a request. One that is too large is refused as soon as that is known, and not held in memory; `held` is called with all that is held of
 * one that is large.
 */
async function octetsOf(
  request: Request,
  bytesMax: number,
  held: (bytes: number) => void,
  beginsWithinMs: number,
): Promise<Uint8Array> {
  const told = Number(request.headers.get('content-length') ?? 0);
  if (told > bytesMax) throw tooLarge(bytesMax);
  const reader = request.body?.getReader();
  if (reader === undefined) return new Uint8Array();
  const chunks: Uint8Array[] = [];
  let size = 0;
  let toldOf = 0;
  const begunAt = performance.now();
  try {
    for (;;) {
      const part = await nextPart(reader, size, begunAt, beginsWithinMs);
      if (part.done) break;
      size += part.value.byteLength;
      if (size > bytesMax) throw tooLarge(bytesMax);
      if (told > LARGE_BYTES || size > LARGE_BYTES) {
        held(size - toldOf);
        toldOf = size;
      }
      chunks.push(part.value);
    }
  } catch (error) {
    await reader.cancel().catch(() => undefined);
    // Whoever sent it went away.
    if (!(error instanceof RequestProblem)) throw new RequestProblem(400, 'aborted', 'The request was broken off.');
    throw error;
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
  { bytesMax, beginsWithinMs = BEGINS_WITHIN_MS }: { readonly bytesMax: number; readonly beginsWithinMs?: number },
  run: (octets: Uint8Array, isLarge: boolean) => Promise<T>,
): Promise<T> {
  mustBeJson(request);
  let place: ReturnType<LargeBodies['enter']> | null = null;
  try {
    const held = (bytes: number) => (place ??= largeBodies().enter(senderOf(request))).hold(bytes);
    const octets = await octetsOf(request, bytesMax, held, beginsWithinMs);
    return await run(octets, place !== null);
  } finally {
    (place as ReturnType<LargeBodies['enter']> | null)?.leave();
  }
}

const LARGE = Object.keys(LARGE_REQUESTS) as LargeRequestName[];

/** The request in a body, as its declaration wants it. It has to begin within so many milliseconds. */
export async function readRequest<T extends object>(
  request: Request,
  type: new () => T,
  beginsWithinMs = BEGINS_WITHIN_MS,
): Promise<T> {
  const name = LARGE.find((n) => Object.is(LARGE_REQUESTS[n].type, type));
  const { bytesMax, limits } =
    name === undefined ? { bytesMax: LARGE_BYTES, limits: REQUEST_LIMITS } : LARGE_REQUESTS[name];
  return withBody(request, { bytesMax, beginsWithinMs }, async (octets, isLarge) => {
    if (!isLarge || name === undefined) return checked(objectIn(textOf(octets), limits), type);
    const read = (await largeBodies().read({ kind: 'request', name }, octets)) as T;
    // It took long to take it over from there: those who waited come first, before anything is done with it.
    await rest(REST_MS);
    return read;
  });
}

/** Keeps the plan in a body that is a plan file: a large one is read and written beside the thread that serves everyone. Returns its id. */
export async function keepPlanRequest(
  request: Request,
  bytesMax: number,
  database: string,
  keep: (plan: Plan) => string,
): Promise<string> {
  return withBody(request, { bytesMax }, async (octets, isLarge) => {
    if (!isLarge) return keep(planOfResult(readPlanFile(textOf(octets))));
    return (await largeBodies().read({ kind: 'keep-plan-file', database }, octets)) as string;
  });
}

/** Makes a plan beside the thread that serves everyone, one at a time per person. Returns its id; null: there is no such plan to copy. */
export async function makePlanFor(request: Request, make: PlanToMake, database: string): Promise<string | null> {
  const place = largeBodies().enter(senderOf(request));
  try {
    return (await largeBodies().read({ kind: 'make-plan', make, database }, new Uint8Array())) as string | null;
  } finally {
    place.leave();
  }
}
