import 'reflect-metadata';
import { plainToInstance } from 'class-transformer';
import { validate, type ValidationError } from 'class-validator';
import { RequestProblem } from './problem';

/** Everything that enters the server passes here: size, JSON, shape. What is wrong is told with the field's name. */

const BODY_MAX_BYTES = 5 * 1024 * 1024;

/** The text of a request. One that is too large is refused as soon as that is known, and not held in memory. */
export async function readBody(request: Request, bytesMax: number): Promise<string> {
  const tooLarge = () => new RequestProblem(413, 'too-large', `The request is larger than ${bytesMax} octets.`);
  if (Number(request.headers.get('content-length') ?? 0) > bytesMax) throw tooLarge();
  const reader = request.body?.getReader();
  if (reader === undefined) return '';
  const chunks: Uint8Array[] = [];
  let size = 0;
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    size += part.value.byteLength;
    if (size > bytesMax) {
      await reader.cancel();
      throw tooLarge();
    }
    chunks.push(part.value);
  }
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(Buffer.concat(chunks));
  } catch {
    throw new RequestProblem(400, 'not-text', 'The request is not text in UTF-8.');
  }
}

export async function readRequest<T extends object>(
  request: Request,
  type: new () => T,
  bytesMax = BODY_MAX_BYTES,
): Promise<T> {
  const contentType = request.headers.get('content-type') ?? '';
  if (!contentType.startsWith('application/json')) {
    throw new RequestProblem(415, 'not-json', 'The request must be application/json.');
  }
  const text = await readBody(request, bytesMax);
  let body: unknown;
  try {
    body = JSON.parse(text);
  } catch {
    throw new RequestProblem(400, 'not-json', 'The request is not JSON.');
  }
  if (typeof body !== 'object' || body === null || Array.isArray(body)) {
    throw new RequestProblem(400, 'invalid', 'The request is not a JSON object.');
  }
  return checked(body, type);
}

const asItCame = new WeakMap<object, Set<string>>();

/** The field's value is checked as the plain data that it is, and not made into objects of classes first. */
export function AsItCame(): PropertyDecorator {
  return (target, property) => {
    const fields = asItCame.get(target.constructor) ?? new Set();
    asItCame.set(target.constructor, fields.add(String(property)));
  };
}

export async function checked<T extends object>(value: object, type: new () => T): Promise<T> {
  const raw = asItCame.get(type) ?? new Set();
  const shaped = Object.fromEntries(Object.entries(value).filter(([field]) => !raw.has(field)));
  const instance = plainToInstance(type, shaped);
  for (const field of raw)
    if (Object.hasOwn(value, field)) Object.assign(instance, { [field]: (value as never)[field] });
  const errors = await validate(instance, { whitelist: true, forbidNonWhitelisted: true, forbidUnknownValues: true });
  const first = errors[0] && firstProblem(errors[0], '');
  if (first) throw new RequestProblem(400, 'invalid', first.message, first.field);
  return instance;
}

function firstProblem(error: ValidationError, path: string): { field: string; message: string } {
  const isIndex = /^\d+$/.test(error.property);
  const field = isIndex ? `${path}[${error.property}]` : path === '' ? error.property : `${path}.${error.property}`;
  const child = error.children?.[0];
  if (child !== undefined) {
    return firstProblem(child, field);
  }
  const message = Object.values(error.constraints ?? {})[0] ?? 'is not as expected';
  // What is checked as it came names the place itself: `commands[3].link.metres must be >= 0`.
  const inside = /^(\w+(?:\[\d+\]|\.\w+)+) /.exec(message)?.[1];
  if (inside !== undefined && inside.startsWith(error.property)) return { field: inside, message };
  return {
    field,
    message: message.startsWith(error.property)
      ? `${field}${message.slice(error.property.length)}`
      : `${field}: ${message}`,
  };
}
