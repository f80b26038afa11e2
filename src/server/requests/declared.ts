import { openInParts } from '../sessions';

/** What a request asks for. Of its body and its query only what their class declares gets here. */
export interface Asked<Body, Query> {
  readonly request: Request;
  /** Out of the path; empty where it has none. */
  readonly planId: string;
  readonly entryId: string;
  readonly modelId: string;
  readonly body: Body;
  readonly query: Query;
}

/**
 * A request, declared once: what its body and its query may be (classes that class-validator checks; missing: there is none), and what answers it. Its name
 * is its method and path.
 */
export interface Declared<Body, Query, Answer> {
  readonly body?: new () => Body & object;
  readonly query?: new () => Query & object;
  /** An answer that is no Response goes out as JSON; nothing as an empty object. */
  readonly answer: (asked: Asked<Body, Query>) => Answer | Promise<Answer>;
}

type Named<N extends string, Body, Query, Answer> = { readonly [K in N]: Declared<Body, Query, Answer> };

export const request = <const N extends string, Answer, Body = undefined, Query = undefined>(
  name: N,
  declared: Declared<Body, Query, Answer>,
): Named<N, Body, Query, Answer> => ({ [name]: declared }) as Named<N, Body, Query, Answer>;

/** As `request`, about a plan that is open: it is in memory then, and nobody waited while it was read and reckoned. */
export const ofPlan = <const N extends string, Answer, Body = undefined, Query = undefined>(
  name: N,
  { answer, ...declared }: Declared<Body, Query, Answer>,
): Named<N, Body, Query, Answer> =>
  request(name, {
    ...declared,
    answer: async (asked) => {
      await openInParts(asked.planId);
      return answer(asked);
    },
  });

/** A response with what pages read out of it, as the type of its JSON. */
export type ResponseOf<Content> = Response & { readonly content?: Content };

/** The JSON that a page gets. */
export type ContentOf<Answer> = Answer extends Response
  ? Answer extends { readonly content?: infer Content }
    ? Content
    : never
  : Answer;
