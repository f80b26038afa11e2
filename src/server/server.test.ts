import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileOfPlan, planOfFile } from '../core/formats/plan-file';
import { readPatchList, writePatchList } from '../core/formats/patch-list';
import type { Command } from '../core/plan/commands';
import { importPatch } from '../core/edits/import-patch';
import { atOnce } from '../core/plan/in-steps';
import { feed } from '../core/plan/test-plan';
import { expectSame } from '../core/plan/test-same';
import { reckon } from '../core/reckon/reckon';
import { skerryPoint } from '../demo/skerry-point';
import { applyBatch, noteSent, redo, undo } from './edit';
import { history, historyEntry, takeStepBack } from './history';
import type { Author, ChangeMessage } from './messages';
import { entryIdOf } from './requests/entry-id';
import { openInParts, sessionOf } from './sessions';
import {
  copyPlan,
  demoPlan,
  generatedPlan,
  listPlans,
  newPlan,
  openPlanFile,
  readPlan,
  type PlanAnswer,
  removePlan,
  restorePlan,
  savedPlanFile,
} from './plans';
import type { RequestProblem } from './problem';
import { BatchRequest, NewPlanRequest } from './requests/requests';
import { respond } from './respond';
import { closeServer, serverState } from './state';
import { requestOf } from './test-server';
import { readRequest } from './requests/read-request';
import { problemOf } from './test-problem';

const ada: Author = { id: 'a', name: 'First engineer' };
const bo: Author = { id: 'b', name: 'Second engineer' };
let folder: string;

/** As after a restart: the database stays, everything in memory is gone. */
function forgetEverything(): void {
  closeServer();
}

beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'jade-lane-'));
  process.env['JADE_DATA'] = folder;
  process.env['JADE_LOG'] = 'silent';
  forgetEverything();
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const openText = (text: string) => openPlanFile(requestOf(text));
const planAnswer = async (id: string, authorId: string) =>
  JSON.parse(Buffer.concat(await readPlan(id, authorId)).toString('utf8')) as PlanAnswer;
const fileText = async (id: string) => Buffer.concat((await savedPlanFile(id)).parts).toString('utf8');
const batch = (
  planId: string,
  author: Author,
  title: string,
  commands: Command[],
  baseRevision = sessionOf(planId)!.revision,
) => atOnce(applyBatch(planId, { baseRevision, title, commands, author }));
const heard = (planId: string, channel: number) =>
  sessionOf(planId)!.plan.subscriptions.get('dome-amp-6')?.get(channel)?.senderChannel;

describe('the history of a plan', () => {
  const titles = (planId: string, device?: string) =>
    history(planId, device === undefined ? {} : { device }).entries.map((e) => e.title);

  test('has every step, the newest first, page by page, and by device', () => {
    const { plan } = demoPlan();
    for (let n = 1; n <= 60; n += 1)
      batch(plan.id, n % 2 ? ada : bo, `step ${n}`, [feed('loft-console', n, 'dome-amp-6', 1)]);
    batch(plan.id, ada, 'rename', [{ kind: 'change-device', deviceId: 'wave-amp-1', change: { name: 'Hall amp' } }]);
    const first = history(plan.id, {});
    expect(first.entries.length).toBe(50);
    expect(first.entries[0]).toMatchObject({ title: 'rename', kind: 'do', author: { name: ada.name }, records: 1 });
    const second = history(plan.id, { before: first.before! });
    expect(second.before).toBeNull();
    expect([...first.entries, ...second.entries].map((e) => e.title)).toEqual([
      'rename',
      ...Array.from({ length: 60 }, (_, n) => `step ${60 - n}`),
    ]);
    expect(titles(plan.id, 'wave-amp-1')).toEqual(['rename']);
    expect(titles(plan.id, 'dome-amp-6').length).toBe(50);
    expect(titles(plan.id, 'dome-amp-1')).toEqual([]);
    // A step that names a device as the sender is about it too.
    batch(plan.id, ada, 'from the player', [feed('show-player', 1, 'dome-amp-6', 2)]);
    expect(titles(plan.id, 'show-player')).toEqual(['from the player']);
  });

  test('tells what a step did, what of it still stands and who changed the rest', () => {
    const { plan } = demoPlan();
    batch(plan.id, ada, 'mine', [feed('loft-console', 1, 'dome-amp-6', 1, 2)]);
    batch(plan.id, bo, 'theirs', [feed('loft-console', 9, 'dome-amp-6', 2)]);
    const [, mine] = history(plan.id, {}).entries;
    const { entry, changes } = historyEntry(plan.id, mine!.id);
    expect(entry).toMatchObject({ title: 'mine', records: 2, isUndone: false });
    expect(changes.map((c) => [c.record, c.stands, c.by])).toEqual([
      ['subscriptions:dome-amp-6/1', true, null],
      ['subscriptions:dome-amp-6/2', false, 'Second engineer'],
    ]);
  });

  test('anyone takes any step back, or part of it, as a step of their own that can be undone', () => {
    const { plan } = demoPlan();
    batch(plan.id, ada, 'mine', [feed('loft-console', 1, 'dome-amp-6', 1, 3)]);
    batch(plan.id, ada, 'later', [feed('loft-console', 30, 'dome-amp-6', 8)]);
    const mine = history(plan.id, {}).entries.find((e) => e.title === 'mine')!;
    const part = atOnce(takeStepBack(plan.id, mine.id, bo, ['subscriptions:dome-amp-6/2']));
    expect(part).toMatchObject({ isDone: true, left: [], undo: { title: 'take back part of “mine”' } });
    expect([1, 2, 3, 8].map((c) => heard(plan.id, c))).toEqual([1, undefined, 3, 30]);
    const rest = atOnce(takeStepBack(plan.id, mine.id, bo, null));
    expect(rest).toMatchObject({ isDone: true, left: [], undo: { title: 'take back “mine”' } });
    expect([1, 2, 3, 8].map((c) => heard(plan.id, c))).toEqual([undefined, undefined, undefined, 30]);
    expect(atOnce(takeStepBack(plan.id, mine.id, bo, null))).toMatchObject({ isDone: false, left: [] });
    atOnce(undo(plan.id, bo));
    expect([1, 2, 3].map((c) => heard(plan.id, c))).toEqual([1, undefined, 3]);
  });

  test('what was sent is in the history, and is never taken back: that would claim that nothing was sent to a device', () => {
    const { plan } = demoPlan();
    const format = { rateHz: 48_000, encoding: 'L24', packetTimeUs: 1000 } as const;
    const sent = {
      senderDeviceId: 'wave-stage-box',
      streamNumber: 1,
      channels: [1],
      format,
      groupA: null,
      groupB: null,
    };
    const command = { kind: 'keep-sent-streams' as const, put: [{ ...sent, receivers: [] }], drop: [] };
    noteSent(sessionOf(plan.id)!, command, 'Sent to the devices', ada);
    const [entry] = history(plan.id, {}).entries;
    expect(entry).toMatchObject({ title: 'Sent to the devices', isUndoable: false });
    expect(problemOf(() => atOnce(takeStepBack(plan.id, entry!.id, bo, null)))).toMatchObject({
      status: 409,
      code: 'not-undoable',
    });
    expect(sessionOf(plan.id)!.plan.sentStreams.get('wave-stage-box')?.has(1)).toBe(true);
  });

  test('a step of another plan, or none, and records that are not in it are refused by name', () => {
    const { plan } = demoPlan();
    const other = newPlan('Other', undefined);
    batch(plan.id, ada, 'mine', [feed('loft-console', 1, 'dome-amp-6', 1)]);
    const [mine] = history(plan.id, {}).entries;
    expect(problemOf(() => historyEntry(other.id, mine!.id))).toMatchObject({ status: 404, field: 'entryId' });
    expect(problemOf(() => atOnce(takeStepBack(plan.id, mine!.id, bo, ['devices:x'])))).toMatchObject({
      status: 400,
      field: 'records',
    });
    expect(problemOf(() => entryIdOf('1e3')).status).toBe(404);
    expect(entryIdOf('17')).toBe(17);
    expect(problemOf(() => history('nothing', {})).code).toBe('no-plan');
  });
});

describe('plans and their journal', () => {
  test('a plan is stored as it is and is the same after a restart', async () => {
    const { plan } = demoPlan();
    forgetEverything();
    expect((await planAnswer(plan.id, 'a')).file).toEqual(fileOfPlan(planOfFile(skerryPoint())));
    expect(demoPlan().isNew).toBe(false);
  });

  test('undo and redo take back and do again, one author’s own changes only, and last through a restart', () => {
    const { plan } = demoPlan();
    batch(plan.id, ada, 'one', [feed('loft-console', 1, 'dome-amp-6', 1)]);
    batch(plan.id, bo, 'two', [feed('loft-console', 2, 'dome-amp-6', 2)]);
    batch(plan.id, ada, 'three', [feed('loft-console', 3, 'dome-amp-6', 1)]);
    forgetEverything();
    expect(atOnce(undo(plan.id, ada))).toMatchObject({ revision: 4, undo: { title: 'one' }, redo: { title: 'three' } });
    expect([heard(plan.id, 1), heard(plan.id, 2)]).toEqual([1, 2]);
    atOnce(undo(plan.id, ada));
    expect([heard(plan.id, 1), heard(plan.id, 2)]).toEqual([undefined, 2]);
    expect(problemOf(() => atOnce(undo(plan.id, ada))).code).toBe('nothing-to-undo');
    forgetEverything();
    atOnce(redo(plan.id, ada));
    expect(atOnce(redo(plan.id, ada))).toMatchObject({ undo: { title: 'three' }, redo: null });
    expect(heard(plan.id, 1)).toBe(3);
    atOnce(undo(plan.id, ada));
    atOnce(undo(plan.id, ada));
    expect(heard(plan.id, 1)).toBeUndefined();
    atOnce(redo(plan.id, ada));
    batch(plan.id, ada, 'four', [feed('loft-console', 9, 'dome-amp-6', 3)]);
    expect(problemOf(() => atOnce(redo(plan.id, ada))).code).toBe('nothing-to-redo');
  });

  test('an undo takes back what nobody changed since, and says what stays, whose it is and why', () => {
    const { plan } = demoPlan();
    batch(plan.id, ada, 'before', [feed('loft-console', 9, 'dome-amp-6', 8)]);
    batch(plan.id, ada, 'mine', [feed('loft-console', 1, 'dome-amp-6', 1, 3)]);
    batch(plan.id, bo, 'theirs', [feed('loft-console', 20, 'dome-amp-6', 2)]);
    const first = atOnce(undo(plan.id, ada));
    expect(first).toMatchObject({ title: 'mine', isDone: true, undo: { title: 'before' }, redo: { title: 'mine' } });
    expect(first.left).toMatchObject([
      {
        table: 'subscriptions',
        record: 'subscriptions:dome-amp-6/2',
        why: 'changed',
        by: 'Second engineer',
        title: 'theirs',
      },
    ]);
    expect([1, 2, 3].map((c) => heard(plan.id, c))).toEqual([undefined, 20, undefined]);
    // Redone, what was taken back is there again, and theirs is still theirs.
    expect(atOnce(redo(plan.id, ada))).toMatchObject({ isDone: true, left: [] });
    expect([1, 2, 3].map((c) => heard(plan.id, c))).toEqual([1, 20, 3]);
  });

  test('a step of which nothing can be taken back is reported and passed over: the one before it is within reach', () => {
    const { plan } = demoPlan();
    batch(plan.id, ada, 'older', [feed('loft-console', 9, 'dome-amp-6', 8)]);
    batch(plan.id, ada, 'mine', [feed('loft-console', 1, 'dome-amp-6', 1)]);
    batch(plan.id, bo, 'theirs', [feed('loft-console', 2, 'dome-amp-6', 1)]);
    const { revision } = sessionOf(plan.id)!;
    const stuck = atOnce(undo(plan.id, ada));
    expect(stuck).toMatchObject({ title: 'mine', isDone: false, revision, undo: { title: 'older' }, redo: null });
    expect(stuck.left).toMatchObject([{ by: 'Second engineer', title: 'theirs' }]);
    expect(heard(plan.id, 1)).toBe(2);
    forgetEverything();
    expect(atOnce(undo(plan.id, ada))).toMatchObject({ title: 'older', isDone: true, left: [], undo: null });
    expect(heard(plan.id, 8)).toBeUndefined();
    // Passed over is not undone: the history says which is which.
    const undone = () => history(plan.id, {}).entries.flatMap((e) => (e.isUndone ? [e.title] : []));
    expect(undone()).toEqual(['older']);
    // What an undo left to redo is passed over in the same way.
    batch(plan.id, bo, 'theirs again', [feed('loft-console', 3, 'dome-amp-6', 8)]);
    expect(atOnce(redo(plan.id, ada))).toMatchObject({ title: 'older', isDone: false, redo: null });
    expect(undone()).toEqual(['older']);
    expect(problemOf(() => atOnce(redo(plan.id, ada))).code).toBe('nothing-to-redo');
  });

  test('what another replaced and then undid can be taken back again, and whoever did it is sent it', () => {
    const { plan } = demoPlan();
    batch(plan.id, ada, 'older', [feed('loft-console', 9, 'dome-amp-6', 8)]);
    batch(plan.id, ada, 'mine', [feed('loft-console', 1, 'dome-amp-6', 1)]);
    batch(plan.id, bo, 'theirs', [feed('loft-console', 2, 'dome-amp-6', 1)]);
    expect(atOnce(undo(plan.id, ada))).toMatchObject({ title: 'mine', isDone: false });
    const told: ChangeMessage[] = [];
    const leave = sessionOf(plan.id)!.listen({
      author: ada,
      send: ({ event, data }) => event === 'change' && told.push(JSON.parse(data) as ChangeMessage),
      end: () => {},
    });
    expect(atOnce(undo(plan.id, bo))).toMatchObject({ title: 'theirs', isDone: true });
    leave();
    expect(told[0]?.regained).toEqual({ [ada.id]: { entryId: expect.any(Number), title: 'mine' } });
    expect(heard(plan.id, 1)).toBe(1);
    expect(atOnce(undo(plan.id, ada))).toMatchObject({ title: 'mine', isDone: true, undo: { title: 'older' } });
    expect(heard(plan.id, 1)).toBeUndefined();
  });

  test('undoing a device takes along what others have fed from it since, and redoing brings it back', async () => {
    const { plan } = demoPlan();
    const device = { ...skerryPoint().devices.find((d) => d.id === 'dome-amp-6')!, id: 'spare', name: 'Spare' };
    batch(plan.id, ada, 'add', [{ kind: 'add-device', device }]);
    batch(plan.id, bo, 'feed', [feed('loft-console', 1, 'spare', 1)]);
    atOnce(undo(plan.id, ada));
    expect(sessionOf(plan.id)!.plan.subscriptions.has('spare')).toBe(false);
    const opened = await openText(await fileText(plan.id));
    expect((await planAnswer(opened.id, 'a')).file.subscriptions).toEqual(
      (await planAnswer(plan.id, 'a')).file.subscriptions,
    );
    atOnce(redo(plan.id, ada));
    expect(sessionOf(plan.id)!.plan.subscriptions.get('spare')?.get(1)?.senderDeviceId).toBe('loft-console');
  });

  test('what would bring back something that has nowhere to stand is refused, and says what is missing', () => {
    const { plan } = demoPlan();
    const model = { ...skerryPoint().models[0]!, id: 'own', name: 'Own' };
    const device = { ...skerryPoint().devices[0]!, id: 'spare', name: 'Spare', modelId: 'own' };
    batch(plan.id, bo, 'model', [{ kind: 'put-model', model }]);
    batch(plan.id, ada, 'add', [{ kind: 'add-device', device }]);
    expect(atOnce(undo(plan.id, bo))).toMatchObject({ isDone: false, left: [{ why: 'in-use', needs: 'spare' }] });
    batch(plan.id, ada, 'remove', [{ kind: 'remove-device', deviceId: 'spare' }]);
    const [model1] = history(plan.id, {}).entries.filter((e) => e.title === 'model');
    expect(atOnce(takeStepBack(plan.id, model1!.id, bo, null))).toMatchObject({ isDone: true, left: [] });
    expect(atOnce(undo(plan.id, ada))).toMatchObject({ isDone: false, left: [{ why: 'gone', needs: 'own' }] });
  });

  test('a plan in which something points at nothing is mended once when it is opened, and the journal keeps what it was', async () => {
    const file = skerryPoint();
    const { plan } = demoPlan();
    const sound = sessionOf(plan.id)!.plan;
    const lane = { receiverDeviceId: 'dome-amp-6', receiverChannel: 8, senderDeviceId: 'gone', senderChannel: 1 };
    const dangling = {
      ...sound,
      subscriptions: new Map([...sound.subscriptions, ['dome-amp-6', new Map([[8, lane]])]]),
    };
    serverState().store.create('dangling', dangling, 1);
    forgetEverything();
    expect(await planAnswer('dangling', 'a')).toMatchObject({ revision: 1, undo: null });
    expect(sessionOf('dangling')!.plan.subscriptions.has('dome-amp-6')).toBe(false);
    expect(serverState().store.entriesSince('dangling', 0)?.[0]?.changes).toEqual([
      { table: 'subscriptions', before: lane, after: null },
    ]);
    forgetEverything();
    expect((await planAnswer('dangling', 'a')).revision).toBe(1);
    expect(file.devices.length).toBe(sound.devices.size);
  });

  test('a batch against an old revision is applied where nothing clashes, and refused with both versions where it does', () => {
    const { plan } = demoPlan();
    batch(plan.id, ada, 'first', [feed('loft-console', 1, 'dome-amp-6', 1)], 0);
    batch(plan.id, bo, 'elsewhere', [feed('loft-console', 2, 'dome-amp-6', 2)], 0);
    expect([heard(plan.id, 1), heard(plan.id, 2)]).toEqual([1, 2]);
    const problem = problemOf(() => batch(plan.id, bo, 'same channel', [feed('loft-console', 7, 'dome-amp-6', 1)], 0));
    expect(problem).toMatchObject({ status: 409, code: 'conflict' });
    expect(problem.details).toMatchObject({
      revision: 2,
      conflicts: [
        {
          record: 'subscriptions:dome-amp-6/1',
          yours: { senderChannel: 7 },
          theirs: { senderChannel: 1 },
          by: 'First engineer',
        },
      ],
    });
    expect(heard(plan.id, 1)).toBe(1);
    expect(
      problemOf(() => batch(plan.id, bo, 'from the future', [feed('loft-console', 7, 'dome-amp-6', 3)], 99)).code,
    ).toBe('unknown-revision');
  });

  test('a batch that takes long is worked out again where somebody else comes in between, and ends however often they do', () => {
    const { plan } = demoPlan();
    const begun = (title: string, ...commands: Command[]) =>
      applyBatch(plan.id, { baseRevision: sessionOf(plan.id)!.revision, title, commands, author: ada });
    const long = begun('long', feed('loft-console', 1, 'dome-amp-6', 1));
    let others = 0;
    for (let step = long.next(); step.done !== true; step = long.next()) {
      batch(plan.id, bo, 'between', [feed('loft-console', 10 + (others += 1), 'dome-amp-6', 2)]);
    }
    expect(others).toBeGreaterThan(2);
    expect([heard(plan.id, 1), heard(plan.id, 2)]).toEqual([1, 10 + others]);
    expect(
      history(plan.id, {})
        .entries.slice(0, 2)
        .map((e) => e.title),
    ).toEqual(['long', 'between']);

    const clash = begun('clash', feed('loft-console', 3, 'dome-amp-6', 1));
    clash.next();
    batch(plan.id, bo, 'theirs', [feed('loft-console', 4, 'dome-amp-6', 1)]);
    expect(problemOf(() => atOnce(clash))).toMatchObject({ status: 409, code: 'conflict' });
    expect(heard(plan.id, 1)).toBe(4);
  });

  test('a batch is all or nothing', async () => {
    const { plan } = demoPlan();
    const before = await readPlan(plan.id, 'a');
    const problem = problemOf(() =>
      batch(plan.id, ada, 'half wrong', [feed('loft-console', 1, 'dome-amp-6', 1), feed('nobody', 1, 'dome-amp-6', 2)]),
    );
    expect(problem).toMatchObject({ status: 404, field: 'commands[1].subscriptions[0].senderDeviceId' });
    expect(await readPlan(plan.id, 'a')).toEqual(before);
    forgetEverything();
    expect(await readPlan(plan.id, 'a')).toEqual(before);
  });

  test('an edit of a thousand lanes is one step to undo, and a patch list of 40 000 lines is taken at once', async () => {
    const { id } = await generatedPlan(requestOf(''), 1800, 7);
    const before = sessionOf(id)!.plan;
    const rows = readPatchList(writePatchList(before)).rows.filter((r) => r.sender !== '');
    expect(rows.length).toBeGreaterThan(38_000);
    const clear = (count: number) =>
      importPatch(
        sessionOf(id)!.plan,
        rows.slice(0, count).map((r) => ({ ...r, sender: '', senderChannel: '' })),
      ).commands;
    const take = async (count: number) => {
      const body = {
        author: ada,
        baseRevision: sessionOf(id)!.revision,
        title: `clear ${count}`,
        commands: clear(count),
      };
      const request = new Request('http://x/', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      });
      const read = await readRequest(request, BatchRequest);
      return atOnce(applyBatch(id, { ...body, commands: JSON.parse(JSON.stringify(read.commands)) as Command[] }));
    };
    for (const count of [1000, rows.length]) {
      const revision = sessionOf(id)!.revision;
      expect((await take(count)).revision).toBe(revision + 1);
      expect(sessionOf(id)!.plan.subscriptions.size).toBeLessThan(before.subscriptions.size);
      atOnce(undo(id, ada));
      expect(sessionOf(id)!.revision).toBe(revision + 2);
      expectSame(sessionOf(id)!.plan, before);
    }
  });

  test('a large plan is opened while others are answered, once for all who ask, and is as if it was opened in one go', async () => {
    const { id } = await generatedPlan(requestOf(''), 1800, 7);
    let turns = 0;
    let isOver = false;
    const count = () => {
      turns += 1;
      if (!isOver) setImmediate(count);
    };
    count();
    await Promise.all([openInParts(id), openInParts(id)]);
    isOver = true;
    expect(turns).toBeGreaterThan(100);
    const session = sessionOf(id)!;
    expectSame(session.plan, serverState().store.load(id)!.plan);
    expectSame(session.reckoning().totals, reckon(session.plan).totals);
  });

  test('a plan file is opened as a plan of its own and comes out the same; a bad one leaves nothing behind', async () => {
    const { plan } = demoPlan();
    const text = await fileText(plan.id);
    expect((await savedPlanFile(plan.id)).name).toBe('Skerry Point');
    const opened = await openText(text);
    expect(await fileText(opened.id)).toBe(text);
    const count = listPlans().length;
    await expect(openText(text.slice(0, 900))).rejects.toMatchObject({ status: 400, code: 'bad-plan-file' });
    await expect(openText(text.replace('"dome"', '"nowhere"'))).rejects.toThrow(/is not in the file/);
    expect(listPlans()).toHaveLength(count);
  });

  test('plans are made, copied, removed and brought back', async () => {
    const made = newPlan('Small hall', '10.20.0.0/24');
    expect((await planAnswer(made.id, 'a')).file.subnets).toMatchObject([{ cidr: '10.20.0.0/24', role: 'A' }]);
    const copy = await copyPlan(requestOf(''), made.id, 'Small hall, copy');
    expect(
      listPlans()
        .map((p) => p.name)
        .sort(),
    ).toEqual(['Small hall', 'Small hall, copy']);
    removePlan(copy.id);
    expect(listPlans().find((p) => p.id === copy.id)?.removedAt).not.toBeNull();
    expect(restorePlan(copy.id).removedAt).toBeNull();
    expect(problemOf(() => newPlan('x', '10.20.0.0/31')).field).toBe('firstNetwork');
    await expect(copyPlan(requestOf(''), 'none', 'x')).rejects.toMatchObject({ status: 404 });
  });
});

describe('what enters the server', () => {
  const request = (body: unknown, headers: Record<string, string> = { 'content-type': 'application/json' }) =>
    new Request('http://test/', {
      method: 'POST',
      headers,
      body: typeof body === 'string' ? body : JSON.stringify(body),
    });
  const good = { baseRevision: 0, title: 't', author: ada, commands: [feed('a', 1, 'b', 1)] };
  const field = async (body: unknown) => {
    try {
      await readRequest(request(body), BatchRequest);
    } catch (error) {
      return (error as RequestProblem).field;
    }
    return 'taken';
  };

  test('a batch of every shape of command is taken', async () => {
    const device = skerryPoint().devices[10]!;
    const commands: Command[] = [
      feed('a', 1, 'b', 1, 3),
      { kind: 'unsubscribe', channels: [{ deviceId: 'b', channel: 1 }] },
      { kind: 'add-device', device },
      { kind: 'change-device', deviceId: 'x', change: { name: 'New', placeId: null } },
      { kind: 'put-model', model: skerryPoint().models[0]! },
      {
        kind: 'label-channels',
        deviceId: 'x',
        side: 'send',
        labels: [
          { channel: 1, label: 'Tide bell' },
          { channel: 2, label: null },
        ],
      },
      { kind: 'change-settings', settings: { name: 'Other', loadCeilingPercent: 60 } },
      { kind: 'put-subnet', subnet: skerryPoint().subnets[0]! },
      { kind: 'put-link', link: skerryPoint().links[0]! },
      {
        kind: 'put-switch',
        settings: {
          id: 'core-a',
          snooping: true,
          trustsDscp: true,
          queueByDscp: [{ dscp: 46, queue: 7 }],
          energySaving: false,
          spanningTree: true,
          bridgePriority: 4096,
          multicastRouting: true,
          spanningTrees: 'one',
          igmpVersion: 3,
          pimMode: null,
          rendezvousPoint: null,
        },
      },
      { kind: 'put-slot-bus', bus: { id: 'bus', name: 'Chain', shape: 'one-way-chain' } },
      { kind: 'put-slot-unit', unit: { id: 'x', busId: 'bus', order: 1, talks: [1, null], hears: [] } },
      { kind: 'remove-slot-unit', deviceId: 'x' },
      { kind: 'remove-slot-bus', busId: 'bus' },
      {
        kind: 'put-group-choice',
        choice: { senderDeviceId: 'x', streamNumber: 1, groupA: '239.71.1.1', groupB: null },
      },
      { kind: 'remove-group-choice', senderDeviceId: 'x', streamNumber: 1 },
      {
        kind: 'lay-out-streams',
        put: [
          {
            ...{ senderDeviceId: 'x', streamNumber: 3, channels: [4, 2], isHeld: true },
            format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
          },
        ],
        drop: [{ senderDeviceId: 'x', streamNumber: 1 }],
      },
    ];
    const read = await readRequest(request({ ...good, commands }), BatchRequest);
    expect(JSON.parse(JSON.stringify(read.commands))).toEqual(commands);
  });

  test.each([
    [
      'a wrong type',
      {
        ...good,
        commands: [
          {
            kind: 'subscribe',
            subscriptions: [{ receiverDeviceId: 'b', receiverChannel: '1', senderDeviceId: 'a', senderChannel: 1 }],
          },
        ],
      },
      'commands[0].subscriptions[0].receiverChannel',
    ],
    [
      'a cable that lies',
      { ...good, commands: [{ kind: 'put-link', link: { ...skerryPoint().links[0], setAsidePercent: 101 } }] },
      'commands[0].link.setAsidePercent',
    ],
    [
      'a subnet without a block',
      { ...good, commands: [{ kind: 'put-subnet', subnet: { ...skerryPoint().subnets[0], cidr: 'all of it' } }] },
      'commands[0].subnet.cidr',
    ],
    ['a command that nobody knows', { ...good, commands: [{ kind: 'explode' }] }, 'commands[0].kind'],
    [
      'a command that is the server’s own',
      { ...good, commands: [{ kind: 'keep-sent-streams', put: [], drop: [] }] },
      'commands[0].kind',
    ],
    ['a field that nobody knows', { ...good, extra: 1 }, 'extra'],
    ['a missing author', { ...good, author: undefined }, 'author'],
    [
      'a device with a rate that is none',
      { ...good, commands: [{ kind: 'add-device', device: { ...skerryPoint().devices[0], rateHz: 1 } }] },
      'commands[0].device.rateHz',
    ],
    [
      'an id with odd letters',
      { ...good, commands: [{ kind: 'remove-device', deviceId: '../../etc' }] },
      'commands[0].deviceId',
    ],
    ['no commands', { ...good, commands: [] }, 'commands'],
    ['a negative revision', { ...good, baseRevision: -1 }, 'baseRevision'],
  ])('%s is refused by the name of the field', async (_, body, expected) => {
    expect(await field(body)).toBe(expected);
  });

  test.each([
    ['no JSON', '{"a":', 400, 'not-json'],
    ['a list', '[]', 400, 'invalid'],
    ['too much', JSON.stringify({ name: 'x'.repeat(5 * 1024 * 1024) }), 413, 'too-large'],
  ])('%s is refused', async (_, body, status, code) => {
    await expect(readRequest(request(body), NewPlanRequest)).rejects.toMatchObject({ status, code });
  });

  test('another content type is refused', async () => {
    await expect(
      readRequest(request('name=x', { 'content-type': 'text/plain' }), NewPlanRequest),
    ).rejects.toMatchObject({ status: 415 });
  });

  test('a mistake of ours reaches the browser without a stack, a path or a message', async () => {
    const response = await respond(() => {
      throw new Error('secret detail at /work/file.ts');
    });
    const text = await response.text();
    expect(response.status).toBe(500);
    expect(text).not.toMatch(/secret|\/work|at /);
  });
});
