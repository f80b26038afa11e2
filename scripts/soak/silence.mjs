// Registry and devices are frozen, as a power cut of the switch between would have it: how long are lanes still said to carry?
import { fillDemo, startApp, startStandins } from '../stack.mjs';
import { browser, pause, until } from './measure.mjs';

export async function silence(options) {
  const standins = await startStandins(options);
  const app = await startApp(options);
  const base = `http://127.0.0.1:${options.port}`;
  try {
    const plan = await fillDemo(options);
    const one = await browser(base, plan.id, 1, { keepsStates: true });
    const carrying = () => [...one.heard.states.values()].filter((s) => s === 'carrying').length;
    await until('lanes carry', () => carrying() > 250, 120_000);
    await pause(5000);
    const before = carrying();
    process.kill(standins.child.pid, 'SIGSTOP');
    const gone = await until('no lane is said to carry', () => carrying() === 0, 120_000);
    const states = [...new Set(one.heard.states.values())].join(', ');
    process.kill(standins.child.pid, 'SIGCONT');
    const back = await until('they carry again', () => carrying() >= before - 2, 180_000);
    one.leave();
    return [
      ['lanes that carried', String(before)],
      ['none is said to carry any more after', `${(gone / 1000).toFixed(1)} s`],
      ['what is said then', states],
      ['all carry again, after they answer, in', `${(back / 1000).toFixed(1)} s`],
    ];
  } finally {
    await app.stop('SIGKILL');
    await standins.stop('SIGKILL');
  }
}
