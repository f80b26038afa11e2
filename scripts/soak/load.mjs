// A plan of 2,000 devices, each bound to a node, with 50 browsers and someone who edits, while devices change their names.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { post, startApp, startStandins } from '../stack.mjs';
import { browser, feel, lateness, ms, pause, quantile, until, usageOf } from './measure.mjs';

const EDITS = 200;

export async function load(options, { devices = 2000, browsers = 50 } = {}) {
  const app = await startApp(options);
  const base = `http://127.0.0.1:${options.port}`;
  const running = [app];
  try {
    const plan = await post(`${base}/api/plans/generate`, { devices, seed: 7 });
    const file = await (await fetch(`${base}/api/plans/${plan.id}/file`)).json();
    for (const [name, value] of [
      ['plan', file],
      ['strangers', []],
      ['announcers', []],
      ['deviations', {}],
    ]) {
      writeFileSync(join(options.dataFolder, `demo-${name}.json`), JSON.stringify(value));
    }
    // So many in one process take minutes to register: none may be taken for lost meanwhile.
    const standins = await startStandins({ ...options, heartbeatMs: 60_000, expiryMs: 600_000 });
    running.push(standins);
    const overview = async () => (await (await fetch(`${base}/api/plans/${plan.id}/overview`)).json()).field;
    // While so many register, an answer of the stand-ins may be cut off.
    let expected = [];
    await until('the stand-ins say who they are', async () => {
      const all = await (await fetch(`http://127.0.0.1:${options.panelPort}/standins`)).json();
      expected = all.filter((s) => s.fault === null);
      return true;
    });
    let bound = 0;
    let since = performance.now();
    // Some of the generated devices have no address that a stand-in could have.
    const boundMs = await until(
      'nodes are bound',
      async () => {
        const { answering } = await overview();
        if (answering !== bound) since = performance.now();
        bound = answering;
        return bound >= expected.length || (bound > 0 && performance.now() - since > 60_000);
      },
      900_000,
      1000,
    );
    await pause(20_000); // their streams and maps are read
    const feltWhileAttaching = feel(base);
    const begun = performance.now();
    const all = await Promise.all(
      Array.from({ length: browsers }, async (_, n) => {
        await (await fetch(`${base}/plans/${plan.id}/lanes`)).text();
        return browser(base, plan.id, n);
      }),
    );
    const attachMs = performance.now() - begun;
    const attaching = await feltWhileAttaching();
    const labels = expected.map((s) => s.id);
    let renames = 0;
    const churn = setInterval(() => {
      const id = labels[(renames * 37) % labels.length];
      renames += 1;
      post(`http://127.0.0.1:${options.panelPort}/standins/${id}/rename`, { label: `Renamed ${renames}` }).catch(
        () => {},
      );
    }, 200);
    const before = usageOf(app.child.pid);
    const started = performance.now();
    const late = lateness();
    const took = [];
    let most = before.megabytes;
    const author = { id: 'editor', name: 'Editor' };
    let { revision } = all[0].plan;
    const own = file.devices[0].id;
    for (let n = 0; n < EDITS; n += 1) {
      const t = performance.now();
      const commands = [{ kind: 'change-device', deviceId: own, change: { name: `Device ${n}` } }];
      ({ revision } = await post(`${base}/api/plans/${plan.id}/batch`, {
        author,
        baseRevision: revision,
        title: `edit ${n}`,
        commands,
      }));
      took.push(performance.now() - t);
      most = Math.max(most, usageOf(app.child.pid).megabytes);
      await pause(100);
    }
    clearInterval(churn);
    const after = usageOf(app.child.pid);
    const waiting = await late();
    const cores = (after.cpuSeconds - before.cpuSeconds) / ((performance.now() - started) / 1000);
    for (const one of all) one.leave();
    return [
      ['nodes bound', `${bound} of ${expected.length}, after ${(boundMs / 1000).toFixed(0)} s`],
      [`${browsers} browsers attached in`, ms(attachMs)],
      ['an answer meanwhile, at most', ms(attaching.most)],
      ['an edit, p50', ms(quantile(took, 0.5))],
      ['an edit, p99 (aim 250 ms)', ms(quantile(took, 0.99))],
      ['a thread that only waits was woken late by, p99 and at most', `${ms(waiting.p99)}, ${ms(waiting.most)}`],
      ['memory of the server, at most (aim 400 MB)', `${most.toFixed(0)} MB`],
      ['processor (aim below 1)', `${cores.toFixed(2)} cores`],
      [
        'events that each browser heard',
        String(Math.round(all.reduce((sum, b) => sum + b.heard.events, 0) / all.length)),
      ],
    ];
  } finally {
    for (const part of running.reverse()) await part.stop('SIGKILL');
  }
}
