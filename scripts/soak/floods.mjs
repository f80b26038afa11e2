// Too much of everything: bodies, announcements, a browser that does not read. What does anybody else feel of it?
import { createSocket } from 'node:dgram';
import { fillDemo, startApp, startStandins } from '../stack.mjs';
import { browser, feel, ms, pause, usageOf } from './measure.mjs';

const HOSTILE_SDP =
  'v=0\r\no=- 1 1 IN IP4 10.71.80.40\r\ns=Bad\r\nt=0 0\r\na=5\r\nm=audio 5004 RTP/AVP 97\r\nc=IN IP4 239.71.210.1/32\r\na=rtpmap:97 L24/48000/2\r\n';

function sapOf(hash, sdp) {
  const head = Buffer.from([0x20, 0, hash >> 8, hash & 255, 10, 71, 80, (hash >> 4) & 255]);
  return Buffer.concat([head, Buffer.from(`application/sdp\0${sdp}`)]);
}

export async function floods(options) {
  const standins = await startStandins(options);
  const app = await startApp(options);
  const base = `http://127.0.0.1:${options.port}`;
  const rows = [];
  try {
    const plan = await fillDemo(options);
    const json = { 'content-type': 'application/json' };
    const during = async (name, run) => {
      const over = feel(base, 20);
      const said = await run();
      const felt = await over();
      rows.push([`${name}: an answer to others, at most`, `${ms(felt.most)}${said ? ` (${said})` : ''}`]);
    };
    const send = (path, body) => fetch(base + path, { method: 'POST', headers: json, body }).then((r) => r.status);
    const channels = (bytes) => `{"channels":[${'{},'.repeat(bytes / 3).slice(0, -1)}]}`;
    await during('0.1 MB of {}', () => send(`/api/plans/${plan.id}/send/preview`, channels(100_000)));
    await during('4.9 MB of {}', () => send(`/api/plans/${plan.id}/send/preview`, channels(4_900_000)));
    const batch = (bytes) => {
      const command = '{"kind":"unsubscribe","channels":[{"deviceId":"dome-amp-5","channel":2}]}';
      const list = Array.from({ length: Math.floor(bytes / (command.length + 1)) }, () => command).join();
      return `{"author":{"id":"a","name":"A"},"baseRevision":0,"title":"t","commands":[${list}]}`;
    };
    const large = batch(29_000_000);
    await during('two batches of 29 MB', async () =>
      (await Promise.all([1, 2].map(() => send(`/api/plans/${plan.id}/batch`, large).catch((e) => e.message)))).join(
        ' and ',
      ),
    );
    await during('nested 3,000 deep', () => send(`/api/plans/${plan.id}/batch`, '['.repeat(3000) + ']'.repeat(3000)));
    const socket = createSocket('udp4');
    await during('100,000 announcements in 10 s', async () => {
      for (let n = 0; n < 100; n += 1) {
        for (let k = 0; k < 1000; k += 1)
          socket.send(
            sapOf((n * 1000 + k) % 65_536, k % 2 ? HOSTILE_SDP : HOSTILE_SDP.replace('a=5\r\n', '')),
            options.sapPort,
            '127.0.0.1',
          );
        await pause(100);
      }
    });
    socket.close();
    const preview = await send(
      `/api/plans/${plan.id}/send/preview`,
      '{"channels":[{"deviceId":"dome-amp-5","channel":1}]}',
    );
    rows.push(['a preview after the announcements', String(preview)]);
    const deaf = await browser(base, plan.id, 99, { isReading: false });
    const author = { id: 'editor', name: 'Editor' };
    await during('one browser that does not read, 300 edits', async () => {
      let { revision } = deaf.plan;
      for (let n = 0; n < 300; n += 1) {
        const labels = Array.from({ length: 8 }, (_, c) => ({ channel: c + 1, label: `${n} ${'x'.repeat(20)}` }));
        const commands = [{ kind: 'label-channels', deviceId: 'dome-amp-5', side: 'receive', labels }];
        const answer = await fetch(`${base}/api/plans/${plan.id}/batch`, {
          method: 'POST',
          headers: json,
          body: JSON.stringify({ author, baseRevision: revision, title: 't', commands }),
        });
        ({ revision } = await answer.json());
      }
    });
    deaf.leave();
    rows.push(['memory of the server afterwards', `${usageOf(app.child.pid).megabytes.toFixed(0)} MB`]);
    return rows;
  } finally {
    await app.stop('SIGKILL');
    await standins.stop('SIGKILL');
  }
}
