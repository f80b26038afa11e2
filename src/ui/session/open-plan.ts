import { wrap, type Remote } from 'comlink';
import { createStore, type StoreApi } from 'zustand';
import { planOfFile } from '@/core/formats/plan-file';
import { applyChanges, changedFields, recordAt, touchedKey, type RecordChange } from '@/core/plan/changes';
import type { Command } from '@/core/plan/commands';
import type { Plan } from '@/core/plan/plan';
import type { TableName } from '@/core/plan/tables';
import type {
  Author,
  BatchAnswer,
  ChangeMessage,
  FieldMessage,
  PresenceMessage,
  TimedSend,
  Undoable,
  UndoAnswer,
} from '@/server/messages';
import { reportProblem } from '@/ui/parts/report-problem';
import type { ReckonWorker } from '@/workers/reckon-desk';
import type { PreviewResult } from '@/workers/reckon-view';
import { addressOf, ApiProblem, ask } from './ask';
import { thisAuthor } from './author';
import { mergedField, NO_FIELD, type FieldView } from './field-view';
import { ServerWatch } from './server-watch';
import { merged, type View } from './view';
import { noteServerTime } from './server-clock';

export interface Preview {
  /** Where it was asked for: a feed answers for itself, anything else is answered in the preview bar. */
  readonly from: 'feed' | 'fix';
  readonly title: string;
  readonly commands: readonly Command[];
  readonly plan: Plan;
  readonly view: View;
  readonly result: PreviewResult;
  /** What is left out of it, and why; null: nothing. */
  readonly note: string | null;
  /** What others changed since it was first shown, and it would change too. */
  readonly clashes: readonly Clash[];
}

/** A record that somebody else changed while one's own change of it was being looked at. */
export interface Clash {
  readonly table: TableName;
  readonly record: string;
  /** As they left it, and as it would be; null: gone. */
  readonly theirs: unknown;
  readonly yours: unknown;
  readonly by: string;
  readonly title: string;
}

export interface PlanState {
  /** Null: no plan is open. */
  readonly planId: string | null;
  readonly plan: Plan | null;
  readonly revision: number;
  readonly view: View | null;
  readonly field: FieldView;
  readonly hasField: boolean;
  readonly isLive: boolean;
  readonly people: readonly Author[];
  /** Sends of anyone that wait for their moment. */
  readonly timedSends: readonly TimedSend[];
  readonly undo: Undoable | null;
  readonly redo: Undoable | null;
  readonly preview: Preview | null;
  readonly problem: string | null;
}

/** Before anything is known of a plan. */
export const UNREAD: PlanState = {
  planId: null,
  plan: null,
  revision: -1,
  view: null,
  field: NO_FIELD,
  hasField: false,
  isLive: false,
  people: [],
  timedSends: [],
  undo: null,
  redo: null,
  preview: null,
  problem: null,
};

const SETTLE_MS = 2000;
const LISTEN_AGAIN_MS = 3000;

/**
 * One plan as a page has it open: what is known of it, the worker that reckons it, and the events that it hears. Several can
 * be open beside each other; none knows of the others.
 */
export class OpenPlan {
  readonly store: StoreApi<PlanState>;
  readonly worker: Remote<ReckonWorker>;
  private readonly thread: Worker;
  private events: EventSource | null = null;
  private isClosed = false;
  private readonly watch = new ServerWatch(
    () => this.set({ isLive: false }),
    () => this.listen(),
  );
  /** Changes are taken over one after the other, each with its reckoning, so that plan and view always belong together. */
  private queue: Promise<unknown> = Promise.resolve();
  /** What this page last asked the server to change. */
  private asked: Promise<unknown> = Promise.resolve();
  /** The newest revision that may be somebody else's work. */
  private othersRevision = -1;
  /** Counts what was last asked for, so that an answer that comes late does not bring back what was left. */
  private previewRequest = 0;
  /** What others changed since a preview was first shown, by record. */
  private theirs = new Map<string, { by: string; title: string; fields: ReadonlySet<string> | null }>();

  constructor(readonly planId: string) {
    this.store = createStore<PlanState>(() => ({ ...UNREAD, planId }));
    this.thread = new Worker(new URL('../../workers/reckon.worker.ts', import.meta.url), { type: 'module' });
    this.worker = wrap<ReckonWorker>(this.thread);
    this.inTurn(() => this.read());
    this.listen();
  }

  close(): void {
    this.isClosed = true;
    this.watch.stop();
    this.events?.close();
    this.thread.terminate();
  }

  private get = (): PlanState => this.store.getState();
  private set = (change: Partial<PlanState>): void => this.store.setState(change);

  private inTurn(task: () => Promise<unknown>): void {
    this.queue = this.queue.then(task).catch(() => undefined);
  }

  /** Hears what happens to the plan, and lets the others know who is here. Asked again, by another name. */
  listen(): void {
    this.events?.close();
    const { id, name } = thisAuthor();
    const events = new EventSource(
      addressOf('GET /api/plans/:planId/events', { planId: this.planId, query: { author: id, name } }),
    );
    this.events = events;
    const on = <T>(event: string, take: (data: T) => void) =>
      events.addEventListener(event, (e) => {
        this.heard();
        take(JSON.parse((e as MessageEvent<string>).data) as T);
      });
    events.onopen = () => this.heard();
    events.onerror = () => {
      this.set({ isLive: false });
      // A server that refused is not asked again by the browser.
      if (events.readyState === EventSource.CLOSED) this.watch.listenLater(LISTEN_AGAIN_MS);
    };
    on<{ now: number }>('alive', ({ now }) => noteServerTime(now));
    on<{ revision: number; now: number }>('hello', ({ revision, now }) => {
      noteServerTime(now);
      this.inTurn(async () => {
        if (this.get().revision !== -1 && this.get().revision !== revision) await this.read();
      });
    });
    on<ChangeMessage>('change', (message) => this.inTurn(() => this.takeOver(message)));
    on<FieldMessage>('field', (message) => {
      const field = mergedField(this.get().field, message);
      // The first node may be typed in, and the last one taken out, while the plan is open.
      this.set({ field, hasField: field.registry.has('') });
    });
    on<PresenceMessage>('people', ({ people, timedSends }) => this.set({ people, timedSends }));
  }

  private heard(): void {
    if (this.isClosed) return;
    if (!this.get().isLive) this.set({ isLive: true });
    this.watch.heard();
  }

  private async read(): Promise<void> {
    try {
      const { file, revision, undo, redo, hasField } = await ask('GET /api/plans/:planId', {
        planId: this.planId,
        query: { author: thisAuthor().id },
      });
      if (this.isClosed) return;
      const delta = await this.worker.load(file);
      const view = merged(null, delta);
      this.othersRevision = revision;
      this.set({ plan: planOfFile(file), revision, view, undo, redo, hasField, preview: null, problem: null });
    } catch (error) {
      this.set({ problem: error instanceof ApiProblem ? error.message : 'The plan could not be opened.' });
    }
  }

  private async takeOver(message: ChangeMessage): Promise<void> {
    const { plan, revision } = this.get();
    if (plan === null || message.revision <= revision) return;
    if (message.revision !== revision + 1) return this.read();
    const delta = await this.worker.advance(message.changes);
    const view = merged(this.get().view, delta);
    this.set({ plan: applyChanges(plan, message.changes), revision: message.revision, view });
    const again = message.regained?.[thisAuthor().id];
    if (again !== undefined) this.set({ undo: again });
    const { preview } = this.get();
    const isOthers = message.author.id !== thisAuthor().id;
    if (isOthers) this.othersRevision = message.revision;
    if (preview !== null && isOthers) {
      for (const change of message.changes) {
        const record = touchedKey(change);
        const [known, fields] = [this.theirs.get(record), changedFields(change)];
        const all = known === undefined ? fields : known.fields && fields && new Set([...known.fields, ...fields]);
        this.theirs.set(record, { by: message.author.name, title: message.title, fields: all });
      }
    }
    // A preview was worked out against the plan as it was: once more, or away with it when it does not fit any more.
    if (preview === null) return;
    const problem = await this.showPreview(preview.title, preview.commands, preview.from, preview.note);
    // A feed says so itself.
    if (problem !== null && preview.from !== 'feed') {
      reportProblem(new Error(problem), `Not possible any more, after “${message.title}”: ${preview.title}`);
    }
  }

  /** Works out a batch without applying it; the sheets then show it in place. Returns what is wrong with it, or null. */
  async showPreview(
    title: string,
    commands: readonly Command[],
    from: Preview['from'] = 'fix',
    note: string | null = null,
  ): Promise<string | null> {
    const { plan, view } = this.get();
    if (plan === null || view === null) return null;
    this.previewRequest += 1;
    const request = this.previewRequest;
    const outcome = await this.worker.preview(commands);
    if (request !== this.previewRequest) return null;
    if (!outcome.ok) {
      this.set({ preview: null });
      const { field, reason, value } = outcome.problem;
      return `${field}: ${reason} ${value}`;
    }
    if (this.get().plan !== plan) return null;
    const { result } = outcome;
    // What a batch comes to is worked out by the worker; the page only takes over what changed.
    const previewed = applyChanges(plan, result.changes);
    const clashes = this.clashesOf(plan, result.changes);
    this.set({
      preview: { from, title, commands, plan: previewed, view: merged(view, result.delta), result, note, clashes },
    });
    return null;
  }

  private clashesOf(plan: Plan, changes: readonly RecordChange[]): Clash[] {
    if (this.theirs.size === 0) return [];
    return changes.flatMap((change) => {
      const record = touchedKey(change);
      const known = this.theirs.get(record);
      if (known === undefined) return [];
      // What they changed and this leaves as it is stays, whoever applies what: only the same fields clash.
      const yours = changedFields(change);
      if (yours !== null && known.fields !== null && ![...yours].some((field) => known.fields?.has(field))) return [];
      const { by, title } = known;
      return [{ table: change.table, record, theirs: recordAt(plan, change), yours: change.after, by, title }];
    });
  }

  endPreview(): void {
    this.previewRequest += 1;
    this.theirs = new Map();
    if (this.get().preview === null) return;
    this.set({ preview: null });
    void this.worker.endPreview();
  }

  /**
   * Sends a batch to the server and waits until the page shows it. Throws an ApiProblem when it was refused: also where others
   * changed what is being looked at, as long as it is not said that theirs is to be replaced.
   */
  async apply(title: string, commands: readonly Command[], { replacing = false } = {}): Promise<void> {
    if (this.theirs.size > 0 && !replacing) {
      // Whatever is about to be applied is held against what others did since it was first shown.
      const { preview: before } = this.get();
      if (before?.commands !== commands) await this.showPreview(title, commands, before?.from, before?.note);
    }
    const { revision, preview } = this.get();
    if ((preview?.clashes.length ?? 0) > 0 && !replacing) {
      throw new ApiProblem(
        409,
        'conflict',
        'Somebody changed this meanwhile: choose which of the two stays.',
        null,
        null,
      );
    }
    this.endPreview();
    await this.change(() => {
      // What oneself changed meanwhile is what this follows on; only what others did is held against it.
      const baseRevision = this.othersRevision <= revision ? this.get().revision : revision;
      const body = { author: thisAuthor(), baseRevision, title: title.slice(0, 200), commands };
      return ask('POST /api/plans/:planId/batch', { planId: this.planId, body });
    });
  }

  /**
   * Asks the server for a change once it has answered the one before: requests that are under way together may arrive in any order, and an undo must not
   * overtake what it takes back.
   */
  private change<T extends BatchAnswer>(request: () => Promise<T>): Promise<T> {
    const answer = this.asked.then(async () => this.settle(await request()));
    this.asked = answer.catch(() => undefined);
    return answer;
  }

  undo(): Promise<UndoAnswer> {
    return this.change(() =>
      ask('POST /api/plans/:planId/undo', { planId: this.planId, body: { author: thisAuthor() } }),
    );
  }

  redo(): Promise<UndoAnswer> {
    return this.change(() =>
      ask('POST /api/plans/:planId/redo', { planId: this.planId, body: { author: thisAuthor() } }),
    );
  }

  /** Takes a step of the history back, or some of its records. */
  takeStepBack(entryId: number, records: readonly string[] | null): Promise<UndoAnswer> {
    return this.change(() =>
      ask('POST /api/plans/:planId/history/:entryId/take-back', {
        planId: this.planId,
        entryId: String(entryId),
        body: { author: thisAuthor(), ...(records === null ? {} : { records }) },
      }),
    );
  }

  /** Waits for the change to come in by the event stream; where that is down, reads the plan. */
  private async settle<T extends BatchAnswer>(answer: T): Promise<T> {
    if (this.get().revision < answer.revision) {
      await new Promise<void>((resolve) => {
        const done = () => {
          clearTimeout(timer);
          stop();
          resolve();
        };
        const timer = setTimeout(done, SETTLE_MS);
        const stop = this.store.subscribe((state) => state.revision >= answer.revision && done());
      });
    }
    if (this.get().revision < answer.revision) await this.read();
    this.set({ undo: answer.undo, redo: answer.redo });
    return answer;
  }
}
