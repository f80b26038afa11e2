import { modelFileOf } from '../core/formats/model-file';
import type { Model } from '../core/models/models-table';
import { modelNamed } from '../core/plan/test-plan';
import { libraryVersions, openModelFile, readLibrary, removeFromLibrary, saveToLibrary } from './library';
import type { Author } from './messages';
import type { RequestProblem } from './problem';
import { RemoveModelRequest, SaveModelsRequest } from './requests/requests';
import { closeServer } from './state';
import { readRequest } from './requests/read-request';
import { inServerFolders } from './test-server';
import { problemOf } from './test-problem';

const ada: Author = { id: 'a', name: 'First engineer' };
const bo: Author = { id: 'b', name: 'Second engineer' };
const amp = modelNamed('amp-8');
inServerFolders();

describe('the library of models', () => {
  test('keeps every version, with who saved it and why, over a restart', () => {
    saveToLibrary(ada, [{ after: 0, model: amp }], 'from the data sheet');
    saveToLibrary(bo, [{ after: 1, model: { ...amp, streamsReceive: 2 } }], 'measured');
    closeServer();
    expect(readLibrary()).toMatchObject([{ modelId: 'amp-8', version: 2, by: 'Second engineer', note: 'measured' }]);
    expect(libraryVersions('amp-8').map((v) => [v.version, v.model?.streamsReceive, v.by])).toEqual([
      [2, 2, 'Second engineer'],
      [1, 4, 'First engineer'],
    ]);
    expect(libraryVersions('amp-8')[1]?.model).toEqual(amp);
  });

  test('what somebody saved meanwhile is not overwritten unseen: nothing is saved, and it is said who was first', () => {
    saveToLibrary(ada, [{ after: 0, model: amp }], '');
    saveToLibrary(bo, [{ after: 1, model: { ...amp, streamsReceive: 2 } }], '');
    const other = modelNamed('console-72');
    const problem = problemOf(() =>
      saveToLibrary(
        ada,
        [
          { after: 0, model: other },
          { after: 1, model: { ...amp, streamsReceive: 3 } },
        ],
        '',
      ),
    );
    expect(problem).toMatchObject({ status: 409, code: 'overtaken' });
    expect(problem.message).toContain('Second engineer saved version 2 of Amplifier 8 meanwhile');
    expect(readLibrary().map((e) => e.modelId)).toEqual(['amp-8']);
  });

  test('a model that was removed keeps its versions and comes back with the next', () => {
    saveToLibrary(ada, [{ after: 0, model: amp }], '');
    removeFromLibrary(bo, 'amp-8', 1);
    expect(readLibrary()).toMatchObject([{ model: null, version: 2, by: 'Second engineer' }]);
    expect(problemOf(() => removeFromLibrary(bo, 'amp-8', 2)).status).toBe(404);
    saveToLibrary(ada, [{ after: 2, model: amp }], 'restored');
    expect(readLibrary()).toMatchObject([{ version: 3, model: amp }]);
    expect(problemOf(() => libraryVersions('none')).status).toBe(404);
  });

  test('a file of models adds versions of those that are new or differ, and none of those that are there just so', () => {
    saveToLibrary(ada, [{ after: 0, model: amp }], '');
    const file = modelFileOf([amp, modelNamed('console-72'), { ...modelNamed('endpoint-2'), streamsSend: null }]);
    const { saved, same } = openModelFile(bo, JSON.stringify(file), 'from a file');
    expect(saved.map((e) => [e.modelId, e.version])).toEqual([
      ['console-72', 1],
      ['endpoint-2', 1],
    ]);
    expect(same).toBe(1);
    expect(openModelFile(bo, JSON.stringify(file), '')).toEqual({ saved: [], same: 3 });
  });

  test('a bad file is refused with every place that is wrong, and nothing of it is kept', () => {
    const bad = modelFileOf([modelNamed('console-72'), { ...amp, kind: 'toaster' } as unknown as Model]);
    const problem = problemOf(() => openModelFile(ada, JSON.stringify(bad), ''));
    expect(problem).toMatchObject({ status: 400, code: 'bad-model-file', field: '/models/1/kind' });
    expect(readLibrary()).toEqual([]);
  });
});

describe('requests to the library', () => {
  const request = (body: object) =>
    new Request('http://127.0.0.1/', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
  const refused = async (body: object) => {
    try {
      await readRequest(request(body), SaveModelsRequest);
    } catch (error) {
      return error as RequestProblem;
    }
    throw new Error('was not refused');
  };
  const good = { author: ada, note: '', models: [{ after: 0, model: amp }] };

  test('a sound one is taken as it is', async () => {
    expect((await readRequest(request(good), SaveModelsRequest)).models[0]?.model).toEqual(amp);
    expect(await readRequest(request({ author: ada, after: 3 }), RemoveModelRequest)).toMatchObject({ after: 3 });
  });

  test.each([
    [{ ...good, models: [{ after: -1, model: amp }] }, 'models[0].after'],
    [{ ...good, models: [{ after: 0, model: { ...amp, channelsReceive: 1.5 } }] }, 'models[0].model.channelsReceive'],
    [{ ...good, models: [{ after: 0, model: null }] }, 'models[0].model'],
    [{ ...good, models: [null] }, 'models[0]'],
    [{ ...good, models: [] }, 'models'],
    [{ ...good, models: 'all' }, 'models'],
    [{ ...good, note: 7 }, 'note'],
    [{ ...good, author: null }, 'author'],
  ])('a bad one is refused by the place that is wrong %#', async (body, place) => {
    const problem = await refused(body);
    expect(problem.status).toBe(400);
    expect(problem.message).toContain(place);
  });
});
