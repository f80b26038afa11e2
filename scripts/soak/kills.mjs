// The server is killed again and again while two people edit: what was acknowledged has to be there.
import { post, startApp } from '../stack.mjs';
import { pause, until } from './measure.mjs';

export async function kills(options, { rounds = 500, seed = 1 } = {}) {
  const base = `http://127.0.0.1:${options.port}`;
  let random = seed;
  const next = (below) => (random = (random * 48_271) % 2_147_483_647) % below;
  let planId = null;
  let acknowledged = 0;
  let lost = 0;
  const channels = new Map();
  const underWay = new Map();
  for (let round = 0; round < rounds; round += 1) {
    const app = await startApp(options);
    planId ??= (await post(`${base}/api/plans/demo`)).plan.id;
    const { file } = await (await fetch(`${base}/api/plans/${planId}?author=x`)).json();
    for (const [key, label] of channels) {
      const [deviceId, channel] = key.split('/');
      const found = file.labels.find(
        (l) => l.deviceId === deviceId && l.side === 'receive' && l.channel === Number(channel),
      );
      // What was under way when the server was killed may be there, though nobody was told.
      if (found?.label !== label && !underWay.get(key)?.has(found?.label)) {
        lost += 1;
        console.log(`  lost: ${key} was acknowledged as ${label} and is ${found?.label}`);
      }
    }
    let isOver = false;
    const before = acknowledged;
    const edit = async (who) => {
      for (let n = 0; !isOver; n += 1) {
        const channel = 1 + ((n + 4 * who) % 4) + 4 * who;
        const label = `${round}-${who}-${n}`;
        const commands = [
          { kind: 'label-channels', deviceId: 'dome-amp-5', side: 'receive', labels: [{ channel, label }] },
        ];
        const { revision } = await (await fetch(`${base}/api/plans/${planId}?author=x`)).json();
        const key = `dome-amp-5/${channel}`;
        underWay.set(key, (underWay.get(key) ?? new Set()).add(label));
        const author = { id: `who-${who}`, name: `Who ${who}` };
        await post(`${base}/api/plans/${planId}/batch`, { author, baseRevision: revision, title: label, commands });
        channels.set(key, label);
        underWay.delete(key);
        acknowledged += 1;
      }
    };
    const people = [0, 1].map((who) => edit(who).catch(() => undefined));
    // The first edit loads what edits need: the kill is to fall among those that come after it.
    await until('an edit is taken', () => acknowledged > before, 60_000, 10);
    await pause(next(400));
    await app.stop('SIGKILL');
    isOver = true;
    await Promise.all(people);
  }
  return [
    ['kills', String(rounds)],
    ['batches acknowledged', String(acknowledged)],
    ['of these lost', String(lost)],
  ];
}
