import fc from 'fast-check';
import { DeviceAnswers } from './device-answers';
import { DeviceRequests } from './device-requests';

const requests = () =>
  new DeviceRequests({
    answers: new DeviceAnswers(
      () => 1000,
      () => {},
    ),
    mayAsk: () => true,
    ended: () => {},
    again: () => {},
  });

/** A device that answers when the test lets it: what each request would receive if it were answered now. */
function slowDevice() {
  const asked: { readonly what: string; answer(): void }[] = [];
  return {
    asked,
    ask: (what: string, then: () => void) => () =>
      new Promise<void>((resolve) =>
        asked.push({
          what,
          answer: () => {
            then();
            resolve();
          },
        }),
      ),
  };
}

describe('requests to one device', () => {
  test('law: of two for the same the one that was asked last is taken in last, in whatever order they would be answered', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.oneof(fc.constantFrom('map', 'a', 'b', 'c', 'd'), fc.nat({ max: 9 })), { maxLength: 40 }),
        async (steps) => {
          const line = requests();
          const { asked, ask } = slowDevice();
          const last = new Map<string, number>();
          const takenIn = new Map<string, number>();
          const answer = async (n: number) => {
            asked.splice(n % asked.length, 1)[0]?.answer();
            await new Promise((resolve) => setImmediate(resolve));
          };
          for (const [n, step] of steps.entries()) {
            if (typeof step === 'string') {
              last.set(step, n);
              line.queue(
                'device',
                step,
                ask(step, () => takenIn.set(step, n)),
              );
            } else if (asked.length > 0) await answer(step);
            expect(new Set(asked.map((a) => a.what)).size).toBe(asked.length);
            expect(asked.length).toBeLessThanOrEqual(4);
          }
          while (asked.length > 0) await answer(asked.length - 1);
          expect(takenIn).toEqual(last);
          line.stop();
        },
      ),
      { numRuns: 60 },
    );
  });

  test('what waits for the same is asked once, after what runs; others go on meanwhile', async () => {
    const line = requests();
    const { asked, ask } = slowDevice();
    for (const _ of [1, 2, 3])
      line.queue(
        'device',
        'map',
        ask('map', () => {}),
      );
    line.queue(
      'device',
      'end',
      ask('end', () => {}),
    );
    expect(asked.map((a) => a.what)).toEqual(['map', 'end']);
    asked.shift()!.answer();
    await new Promise((resolve) => setImmediate(resolve));
    expect(asked.map((a) => a.what)).toEqual(['end', 'map']);
    asked.pop()!.answer();
    await new Promise((resolve) => setImmediate(resolve));
    expect(asked.map((a) => a.what)).toEqual(['end']);
    line.stop();
  });
});
