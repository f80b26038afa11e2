import type { ContentOf, Declared } from '@/server/requests/declared';
import type { Requests } from '@/server/requests/serve';
import type { SendNews } from '@/server/messages';
import { problemWords } from './problem-words';

/** Requests to the server, by the names and types under which it declares them (server/requests). */

export type RequestName = keyof Requests;

type ParametersOf<Path extends string> = Path extends `${string}:${infer Parameter}/${infer Rest}`
  ? Record<Parameter, string> & ParametersOf<Rest>
  : Path extends `${string}:${infer Parameter}`
    ? Record<Parameter, string>
    : unknown;
type Part<Name extends string, Value> = [Value] extends [undefined] ? unknown : { readonly [N in Name]: Value };

/** What a request is made with: what stands in its path, its query, its body. */
type Given<N extends RequestName> =
  Requests[N] extends Declared<infer Body, infer Query, infer _>
    ? ParametersOf<N> & Part<'body', Body> & Part<'query', Query>
    : never;
export type AnswerOf<N extends RequestName> =
  Requests[N] extends Declared<infer _B, infer _Q, infer Answer> ? ContentOf<Answer> : never;

/** What the server says when it refuses, with the field it is about. */
export class ApiProblem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly field: string | null,
    readonly details: unknown,
  ) {
    super(message);
  }
}

/** The address of a request; for links, too. */
export function addressOf<N extends RequestName>(name: N, given: Omit<Given<N>, 'body'>): string {
  const { query = {}, ...parameters } = given as { readonly query?: Record<string, unknown> };
  const path = name
    .slice(name.indexOf('/'))
    .replace(/:(\w+)/g, (_, key: string) => encodeURIComponent((parameters as Record<string, string>)[key] ?? ''));
  const asked = Object.entries(query).filter(([, value]) => value !== undefined);
  const text = new URLSearchParams(asked.map(([key, value]) => [key, String(value)])).toString();
  return text === '' ? path : `${path}?${text}`;
}

async function responseTo<N extends RequestName>(name: N, given: Given<N>, accept: string): Promise<Response> {
  const { body } = given as { readonly body?: unknown };
  const method = name.slice(0, name.indexOf(' '));
  const response = await fetch(addressOf(name, given), {
    method,
    ...(method === 'GET'
      ? {}
      : {
          headers: { 'content-type': 'application/json', accept },
          // What is text already is sent as it is.
          body: typeof body === 'string' ? body : JSON.stringify(body ?? {}),
        }),
  });
  if (!response.ok) throw await problemOf(response);
  return response;
}

const offline = (message: string) => new ApiProblem(0, 'offline', message, null, null);

/** Asks the server; what it refuses, or that it is not there, is thrown as an ApiProblem. */
export async function ask<N extends RequestName>(name: N, given: Given<N>): Promise<AnswerOf<N>> {
  const response = await responseTo(name, given, '*/*').catch((error: unknown) => {
    if (error instanceof ApiProblem) throw error;
    throw offline('The server does not answer. Nothing was changed; try again when it is back.');
  });
  const value = (await response.json().catch(() => null)) as AnswerOf<N> | null;
  if (value === null)
    throw new ApiProblem(response.status, 'unknown', 'The server’s answer could not be read.', null, null);
  return value;
}

/** What a refusal of the server says. */
async function problemOf(response: Response): Promise<ApiProblem> {
  const value = (await response.json().catch(() => null)) as {
    error?: { code: string; message: string; field: string | null; details?: unknown };
  } | null;
  const error = value?.error;
  return new ApiProblem(
    response.status,
    error?.code ?? 'unknown',
    error === undefined ? `The server answered ${response.status}.` : problemWords(error.message, error.field),
    error?.field ?? null,
    error?.details,
  );
}

/** As `ask`, of a send: tells each step of each device as it goes, and resolves with what became of it. */
export async function askTelling<N extends RequestName>(
  name: N,
  given: Given<N>,
  tell: (news: SendNews<AnswerOf<N>>) => void,
): Promise<AnswerOf<N>> {
  const lost = (error: unknown): never => {
    if (error instanceof ApiProblem) throw error;
    throw offline('The server has stopped answering. What was sent is in the plan’s history.');
  };
  const response = await responseTo(name, given, 'application/x-ndjson').catch(lost);
  if (response.body === null) throw await problemOf(response);
  const reader = response.body.getReader();
  const decoder = new TextDecoder();
  let text = '';
  for (;;) {
    const part = await reader.read().catch(lost);
    if (part.done) return lost(null);
    text += decoder.decode(part.value, { stream: true });
    const lines = text.split('\n');
    text = lines.pop() ?? '';
    for (const line of lines) {
      const news = JSON.parse(line) as SendNews<AnswerOf<N>>;
      if (news.kind === 'ended') return news.report;
      if (news.kind === 'refused') throw new ApiProblem(409, news.code, news.message, news.field, null);
      tell(news);
    }
  }
}
