/** Requests to devices and registries: bounded in time and size, with one kind of error for all that can go wrong. */

export type DeviceFailure =
  | { readonly kind: 'timeout'; readonly afterMs: number }
  | { readonly kind: 'unreachable'; readonly detail: string }
  | { readonly kind: 'refused'; readonly status: number; readonly detail: string }
  | { readonly kind: 'wrong-answer'; readonly detail: string };

export class DeviceError extends Error {
  constructor(
    readonly url: string,
    readonly failure: DeviceFailure,
  ) {
    super(`${url}: ${failure.kind}`);
  }
}

const ANSWER_MAX_BYTES = 8 * 1024 * 1024;

export interface RequestOptions {
  readonly method?: 'GET' | 'POST' | 'PATCH' | 'DELETE';
  readonly body?: unknown;
  readonly timeoutMs?: number;
}

export async function requestText(
  url: string,
  options: RequestOptions = {},
): Promise<{ text: string; headers: Headers }> {
  const timeoutMs = options.timeoutMs ?? 3000;
  let response: Response;
  let text: string;
  try {
    response = await fetch(url, {
      method: options.method ?? 'GET',
      headers: { accept: '*/*', ...(options.body === undefined ? {} : { 'content-type': 'application/json' }) },
      ...(options.body === undefined ? {} : { body: JSON.stringify(options.body) }),
      redirect: 'error',
      signal: AbortSignal.timeout(timeoutMs),
    });
    if (Number(response.headers.get('content-length') ?? 0) > ANSWER_MAX_BYTES) {
      throw new DeviceError(url, { kind: 'wrong-answer', detail: 'the answer is too long' });
    }
    text = await response.text();
  } catch (error) {
    if (error instanceof DeviceError) throw error;
    if ((error as Error).name === 'TimeoutError') throw new DeviceError(url, { kind: 'timeout', afterMs: timeoutMs });
    const cause = (error as { cause?: { code?: string } }).cause?.code ?? (error as Error).name;
    throw new DeviceError(url, { kind: 'unreachable', detail: cause });
  }
  if (!response.ok) {
    throw new DeviceError(url, { kind: 'refused', status: response.status, detail: reasonIn(text) });
  }
  return { text, headers: response.headers };
}

export async function requestJson(
  url: string,
  options: RequestOptions = {},
): Promise<{ value: unknown; headers: Headers }> {
  const { text, headers } = await requestText(url, options);
  try {
    return { value: text === '' ? null : (JSON.parse(text) as unknown), headers };
  } catch {
    throw new DeviceError(url, { kind: 'wrong-answer', detail: 'the answer is not JSON' });
  }
}

/** The reason that NMOS error bodies give, or the start of whatever the device said. */
function reasonIn(text: string): string {
  try {
    const { error, debug } = JSON.parse(text) as { error?: unknown; debug?: unknown };
    if (typeof error === 'string') return typeof debug === 'string' ? `${error}: ${debug}` : error;
  } catch {
    // not JSON: told as it is
  }
  return text.slice(0, 200);
}

export function failureOf(error: unknown): DeviceFailure {
  if (error instanceof DeviceError) return error.failure;
  return { kind: 'wrong-answer', detail: error instanceof Error ? error.message : String(error) };
}
