import type { Author, ChangeMessage, FieldMessage, PresenceMessage, TimedSend } from './messages';
import type { EventFrame } from './plan-session';
import { sessionOf } from './sessions';
import { mergedField, NO_FIELD } from '../ui/session/field-view';

/** What one browser is sent, and what it makes of it: the field as it shows it. */
export class Browser {
  readonly changes: ChangeMessage[] = [];
  readonly fields: FieldMessage[] = [];
  hello: { revision: number } | null = null;
  people: readonly Author[] = [];
  timedSends: readonly TimedSend[] = [];
  readonly leave: () => void;

  constructor(planId: string, author: Author) {
    const send = ({ event, data: text }: EventFrame) => {
      const data: unknown = JSON.parse(text);
      if (event === 'hello') this.hello = data as { revision: number };
      if (event === 'people') ({ people: this.people, timedSends: this.timedSends } = data as PresenceMessage);
      if (event === 'change') this.changes.push(data as ChangeMessage);
      if (event === 'field') this.fields.push(data as FieldMessage);
    };
    this.leave = sessionOf(planId)!.listen({ author, send, end: () => {} });
  }

  shown() {
    return this.fields.reduce(mergedField, NO_FIELD);
  }
}
