// Requests that are nearly right, by the thousands: none may be answered with a fault of the server.
import { request } from 'node:http';
import { post, startApp } from '../stack.mjs';

const author = { id: 'soak', name: 'Soak' };
const HEADS = ['__proto__', 'constructor', 'toString', 'length', '', 'kind', 'x'.repeat(300)];

const define = (at, name, value) =>
  Object.defineProperty(at, name, { value, enumerable: true, configurable: true, writable: true });

export async function requests(options, { count = 21_000, seed = 5 } = {}) {
  const app = await startApp(options);
  const base = `http://127.0.0.1:${options.port}`;
  let random = seed;
  const next = (below) => (random = (random * 48_271) % 2_147_483_647) % below;
  const pick = (list) => list[next(list.length)];
  const nested = (depth) => JSON.parse(`${'['.repeat(depth)}${']'.repeat(depth)}`);
  const STRANGE = [
    null,
    [],
    {},
    [null],
    '',
    0,
    -1,
    1e308,
    true,
    'x',
    { kind: null },
    [[]],
    '\u202e',
    '\u0000',
    2 ** 53,
    nested(40),
    { length: 3 },
  ];

  function mutated(value) {
    const copy = structuredClone(value);
    const places = [];
    (function walk(at) {
      for (const [key, inside] of Object.entries(at)) {
        places.push([at, key]);
        if (typeof inside === 'object' && inside !== null) walk(inside);
      }
    })(copy);
    for (let n = 1 + next(3); n > 0; n -= 1) {
      const [at, key] = pick(places) ?? [copy, 'x'];
      const what = next(5);
      if (what === 0) delete at[key];
      else if (what === 1 && !Array.isArray(at)) define(at, pick(HEADS), pick(STRANGE));
      else if (what === 2 && Array.isArray(at)) at.push(pick(STRANGE));
      else at[key] = structuredClone(pick(STRANGE));
    }
    return copy;
  }

  try {
    const { plan } = await post(`${base}/api/plans/demo`);
    const file = await (await fetch(`${base}/api/plans/${plan.id}/file`)).json();
    const id = plan.id;
    const device = { ...file.devices[0], id: 'soak-device' };
    const commands = [
      { kind: 'change-settings', settings: { name: 'Skerry Point' } },
      { kind: 'add-device', device },
      { kind: 'change-device', deviceId: 'dome-amp-5', change: { name: 'Amp' } },
      {
        kind: 'label-channels',
        deviceId: 'dome-amp-5',
        side: 'receive',
        labels: [{ channel: 1, label: 'A', short: 'a' }],
      },
      { kind: 'subscribe', subscriptions: [file.subscriptions[0]] },
      { kind: 'unsubscribe', channels: [{ deviceId: 'dome-amp-5', channel: 2 }] },
      { kind: 'lay-out-streams', put: [], drop: [{ senderDeviceId: 'loft-console', streamNumber: 1 }] },
      { kind: 'put-model', model: file.models[0] },
      { kind: 'put-link', link: file.links[0] },
      { kind: 'put-subnet', subnet: file.subnets[0] },
      { kind: 'put-interface', interface: file.interfaces[0] },
      { kind: 'remove-place', placeId: 'dome' },
      { kind: 'put-records', table: 'devices', records: [device] },
    ];
    const channel = [{ deviceId: 'dome-amp-5', channel: 1 }];
    const shapes = [
      ...commands.map((command) => [
        'POST',
        `/api/plans/${id}/batch`,
        { author, baseRevision: 0, title: 't', commands: [command] },
      ]),
      ['POST', '/api/plans', { name: 'n', firstNetwork: '10.0.0.0/24' }],
      ['POST', `/api/plans/${id}/copy`, { name: 'n' }],
      ['POST', `/api/plans/${id}/undo`, { author }],
      ['POST', `/api/plans/${id}/redo`, { author }],
      ['POST', `/api/plans/${id}/send/preview`, { channels: channel }],
      ['POST', `/api/plans/${id}/send`, { channels: channel, author, start: false, id: 'soak-send-1' }],
      ['POST', `/api/plans/${id}/send/stop`, { id: 'soak-send-1' }],
      ['POST', `/api/plans/${id}/read-again`, { deviceId: 'dome-amp-5' }],
      ['POST', `/api/plans/${id}/history/1/take-back`, { author, records: ['devices/dome-amp-5'] }],
      ['POST', '/api/plans/generate', { devices: 4, seed: 1 }],
      ['POST', '/api/models', { author, models: [{ after: 0, model: file.models[0] }], note: '' }],
      [
        'POST',
        '/api/models/file',
        {
          author,
          content: JSON.stringify({ format: 'jade-lane-models', version: 1, models: [file.models[0]] }),
          note: '',
        },
      ],
      ['DELETE', `/api/models/${file.models[0].id}`, { author, after: 1 }],
      ['POST', '/api/plans/file', { ...file, devices: file.devices.slice(0, 2), labels: [] }],
      ['GET', `/api/plans/${id}/history?before=9&device=dome-amp-5`, null],
      ['GET', `/api/plans/${id}?author=x`, null],
      ['GET', `/api/plans/${id}/overview`, null],
      ['GET', `/api/plans/${id}/history/1`, null],
      ['GET', `/plans/${id}/lanes?sel=dome-amp-5:1`, null],
    ];
    const statuses = new Map();
    const faults = [];
    const one = () =>
      new Promise((resolve) => {
        const [method, path, body] = pick(shapes);
        const kind = next(20);
        const asked = {
          method: kind === 0 ? pick(['PUT', 'PATCH', 'TRACE', 'OPTIONS', 'HEAD', 'DELETE', 'PROPFIND']) : method,
          path: kind === 1 || body === null ? strange(path) : path,
          text:
            body === null
              ? ''
              : kind === 2
                ? cut(JSON.stringify(body))
                : kind === 3
                  ? deep()
                  : JSON.stringify(mutated(body)),
          type: kind === 4 ? pick(['text/plain', 'application/xml', '']) : 'application/json',
        };
        const headers = {
          'content-type': asked.type,
          ...(asked.text === '' ? {} : { 'content-length': Buffer.byteLength(asked.text) }),
        };
        const call = request(base + asked.path, { method: asked.method, headers, timeout: 20_000 }, (answer) => {
          statuses.set(answer.statusCode, (statuses.get(answer.statusCode) ?? 0) + 1);
          if (answer.statusCode === 500 || answer.statusCode > 503)
            faults.push(`${answer.statusCode} ${asked.method} ${asked.path} ${asked.text.slice(0, 400)}`);
          answer.resume().on('end', resolve).on('error', resolve);
        });
        call.on('timeout', () => call.destroy());
        call.on('error', (error) => {
          statuses.set(error.code, (statuses.get(error.code) ?? 0) + 1);
          resolve();
        });
        call.end(asked.text);
      });
    const cut = (text) => text.slice(0, next(text.length));
    const deep = () => `${'['.repeat(3000)}${']'.repeat(3000)}`;
    const strange = (path) =>
      path.replace(/[^/?=&]+$/, (end) =>
        pick([
          `${end}'`,
          '..%2f..',
          '%00',
          '1e9',
          '-1',
          'constructor',
          '__proto__',
          'x'.repeat(500),
          '%ff',
          end + end,
          encodeURIComponent('😀'),
        ]),
      );
    let left = count;
    await Promise.all(
      Array.from({ length: 8 }, async () => {
        while ((left -= 1) >= 0) await one();
      }),
    );
    for (const fault of [...new Set(faults)].slice(0, 10)) console.log(`  fault: ${fault}`);
    const isThere = (await fetch(`${base}/api/health`)).status;
    return [
      ['requests', String(count)],
      ['answered 500 (aim 0)', String(faults.length)],
      [
        'answers by status',
        [...statuses]
          .sort()
          .map(([s, n]) => `${s}: ${n}`)
          .join(', '),
      ],
      ['the server afterwards', String(isThere)],
    ];
  } finally {
    await app.stop('SIGKILL');
  }
}
