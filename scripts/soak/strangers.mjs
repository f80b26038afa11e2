// Whoever comes over the network and means no good: silent connections, upgrades, drips, watchers that never were, large histories and plans.
import { readFileSync } from 'node:fs';
import { request } from 'node:http';
import { connect } from 'node:net';
import { fillDemo, startApp, startStandins } from '../stack.mjs';
import { feel, ms, pause, usageOf } from './measure.mjs';

const JSON_TYPE = { 'content-type': 'application/json' };

export async function strangers(options, { quietMinutes = 0 } = {}) {
  const standins = await startStandins(options);
  const app = await startApp(options);
  const { port } = options;
  const base = `http://127.0.0.1:${port}`;
  const rows = [];
  const megabytes = () => usageOf(app.child.pid).megabytes;
  try {
    const plan = await fillDemo(options);
    await pause(10_000);
    rows.push(['memory before', `${megabytes().toFixed(0)} MB`]);
    let most = 0;
    const during = async (name, run) => {
      const over = feel(base, 20);
      const said = await run();
      const felt = await over();
      most = Math.max(most, megabytes());
      rows.push([`${name}: an answer to others, at most`, `${ms(felt.most)}${said ? ` (${said})` : ''}`]);
    };
    const send = (path, body, headers = JSON_TYPE) =>
      fetch(base + path, { method: 'POST', headers, body }).then(
        (r) => r.text().then((text) => ({ status: r.status, text })),
        (e) => ({ status: e.cause?.code ?? e.message, text: '' }),
      );
    const sockets = (count, first) =>
      Promise.all(
        Array.from(
          { length: count },
          (_, n) =>
            new Promise((resolve) => {
              const socket = connect(
                { port, host: '127.0.0.1', localAddress: `127.9.${n >> 8}.${1 + (n & 127)}` },
                () => {
                  if (first !== undefined) socket.write(first);
                  resolve(socket);
                },
              ).on('error', () => resolve(socket));
            }),
        ),
      );
    // As the server has it: where thousands come at once the kernel answers some of which it never tells the server, until they say something.
    const stillOpen = () => {
      const own = `:${port.toString(16).toUpperCase().padStart(4, '0')}`;
      // Theirs are addresses within 127.9.0.0/16.
      const isOpen = ([, local, remote, state]) => local?.endsWith(own) && /^....097F:/.test(remote) && state === '01';
      const lines = readFileSync('/proc/net/tcp', 'utf8').split('\n');
      return lines.filter((line) => isOpen(line.trim().split(/\s+/))).length;
    };
    const flood = (name, first) =>
      during(name, async () => {
        const all = await sockets(2000, first);
        for (const s of all) s.resume();
        await pause(15_000);
        const left = stillOpen();
        for (const s of all) s.destroy();
        return `${left} left open after 15 s`;
      });
    await flood('2,000 silent connections');
    await flood(
      '2,000 upgrades to another host',
      'GET /nope HTTP/1.1\r\nHost: evil.example\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n',
    );
    await flood('2,000 that begin a request and drip', 'GET / HTTP/1.1\r\nHo');
    await during('3,000 HEAD of the events', async () => {
      for (let n = 0; n < 30; n += 1) {
        await Promise.all(
          Array.from({ length: 100 }, (_, k) =>
            fetch(`${base}/api/plans/${plan.id}/events?author=h${n}-${k}&name=H`, { method: 'HEAD' }),
          ),
        );
      }
    });
    await during('16 bodies that drip, and one honest of 1.4 MB', async () => {
      const { text } = await send('/api/plans', JSON.stringify({ name: 'Honest' }));
      const commands = Array.from({ length: 5000 }, (_, k) => ({
        kind: 'put-place',
        place: { id: `p${k}`, name: `${k} ${'x'.repeat(190)}`, parentId: null },
      }));
      const body = JSON.stringify({ author: { id: 'h', name: 'H' }, baseRevision: 0, title: 't', commands });
      const drips = Array.from({ length: 16 }, (_, n) => {
        const asked = request({
          port,
          host: '127.0.0.1',
          localAddress: `127.9.9.${n + 1}`,
          method: 'POST',
          path: `/api/plans/${plan.id}/send/preview`,
          headers: { ...JSON_TYPE, 'content-length': 2_000_000 },
        });
        asked.on('error', () => {});
        asked.on('response', (r) => r.resume());
        const timer = setInterval(() => asked.write('x'), 1000);
        return () => (clearInterval(timer), asked.destroy());
      });
      await pause(2000);
      const begun = performance.now();
      const { status } = await send(`/api/plans/${JSON.parse(text).id}/batch`, body);
      for (const end of drips) end();
      return `${status} after ${ms(performance.now() - begun)}`;
    });
    await during('40 batches of 9 MB, then their history', async () => {
      const { text } = await send('/api/plans', JSON.stringify({ name: 'History' }));
      const { id } = JSON.parse(text);
      const author = { id: 'a', name: 'A' };
      for (let n = 0; n < 40; n += 1) {
        const commands = Array.from({ length: 20_000 }, (_, k) => ({
          kind: 'put-place',
          place: { id: `p${k}`, name: `${n} ${'x'.repeat(180)}`, parentId: null },
        }));
        await send(`/api/plans/${id}/batch`, JSON.stringify({ author, baseRevision: n, title: 't', commands }));
      }
      const begun = performance.now();
      const answer = await fetch(`${base}/api/plans/${id}/history`);
      const entries = (await answer.json()).entries.length;
      return `${entries} entries after ${ms(performance.now() - begun)}`;
    });
    let made = null;
    await during('5,000 devices are generated', async () => {
      made = JSON.parse((await send('/api/plans/generate', '{"devices":5000,"seed":7}')).text);
    });
    await during('they are copied', () => send(`/api/plans/${made.id}/copy`, '{"name":"Copy"}').then((r) => r.status));
    await during('they are opened', () =>
      fetch(`${base}/api/plans/${made.id}?author=a`)
        .then((r) => r.text())
        .then((t) => `${(t.length / 1e6).toFixed(0)} MB`),
    );
    await during('their overview, the first time', () =>
      fetch(`${base}/api/plans/${made.id}/overview`).then((r) => r.status),
    );
    await during('their overview again', () => fetch(`${base}/api/plans/${made.id}/overview`).then((r) => r.status));
    rows.push(['memory at most', `${Math.max(most, megabytes()).toFixed(0)} MB`]);
    await pause(quietMinutes * 60_000);
    rows.push([`memory ${quietMinutes} minutes later`, `${megabytes().toFixed(0)} MB`]);
    return rows;
  } finally {
    await app.stop('SIGKILL');
    await standins.stop('SIGKILL');
  }
}
