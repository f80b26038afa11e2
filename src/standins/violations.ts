import { answerProblem, isRefusedRequest } from '../core/formats/nmos-answers';
import { watchExchanges } from '../registry/http';

/** The strict mode of the stand-ins: everything that the standards do not allow is noted, whoever did it. */

const VIOLATIONS_MAX = 200;

export class Violations {
  readonly noted: string[] = [];

  /** Looks at every request to the stand-ins and their registry, and at every answer, from now on. */
  watch(): void {
    watchExchanges((exchange) => {
      const { method, path, status, body } = exchange;
      const problem = answerProblem(exchange);
      if (problem !== null) this.note(`the answer to ${method} ${path} (${status}): ${problem}`);
      if (isRefusedRequest(exchange)) this.note(`${method} ${path} was refused: ${JSON.stringify(body)}`);
    });
  }

  private note(what: string): void {
    if (this.noted.length < VIOLATIONS_MAX) this.noted.push(what);
  }
}
