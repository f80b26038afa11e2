import { DeviceAnswers } from './device-answers';
import { Pulse } from './pulse';
import { steadyNow } from './steady-clock';
import { untilMoment } from './send-at-moment';

const HOUR_MS = 3_600_000;
const realNow = Date.now.bind(Date);
const setClock = (byMs: number) => jest.spyOn(Date, 'now').mockImplementation(() => realNow() + byMs);
afterEach(() => jest.restoreAllMocks());

async function until(check: () => boolean, ms: number): Promise<void> {
  const end = performance.now() + ms;
  while (!check()) {
    if (performance.now() > end) throw new Error('did not happen in time');
    await new Promise((resolve) => setTimeout(resolve, 10));
  }
}

describe.each([
  ['back', -HOUR_MS],
  ['forward', HOUR_MS],
])('the clock of the computer is set %s an hour', (_, byMs) => {
  test('a device that was unplugged is noticed as fast as ever', async () => {
    let isThere = true;
    const told: boolean[] = [];
    const pulse = new Pulse(
      (_node, isSilent) => told.push(isSilent),
      async () => isThere,
    );
    pulse.follow([{ nodeId: 'amp', host: '127.0.0.1', port: 1 }]);
    pulse.start();
    await new Promise((resolve) => setTimeout(resolve, 100));
    setClock(byMs);
    isThere = false;
    await until(() => told.includes(true), 5000);
    isThere = true;
    await until(() => told.includes(false), 5000);
    pulse.stop();
  });

  test('a device that answers nothing is not known after its time, and not before', async () => {
    const answers = new DeviceAnswers(
      () => 300,
      () => {},
    );
    answers.note('amp', null);
    answers.note('amp', { kind: 'timeout', afterMs: 1 });
    setClock(byMs);
    answers.noteTime(steadyNow());
    expect(answers.notKnown.has('amp')).toBe(false);
    await new Promise((resolve) => setTimeout(resolve, 310));
    answers.noteTime(steadyNow());
    expect(answers.notKnown.has('amp')).toBe(true);
  });

  test('a moment comes when it was to come', async () => {
    const began = performance.now();
    const waiting = untilMoment({ atMs: Date.now() + 400, by: 'countdown' }, () => false);
    setClock(byMs);
    expect(await waiting).toBe(true);
    expect(performance.now() - began).toBeGreaterThan(380);
    expect(performance.now() - began).toBeLessThan(5000);
  });
});
