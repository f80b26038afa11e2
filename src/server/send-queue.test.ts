import { SendQueue } from './send-queue';

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

describe('sends wait only for devices that they share', () => {
  test('one that needs none of the others is not held up', async () => {
    const queue = new SendQueue();
    const order: string[] = [];
    const send = (name: string, devices: string[], ms: number, waited: string[] = []) =>
      queue.run(
        () => ({ work: name, devices }),
        (taken) => waited.push(...taken),
        async () => {
          order.push(`${name} begins`);
          await pause(ms);
          order.push(`${name} ends`);
        },
      );
    const waited: string[] = [];
    const slow = send('slow', ['a', 'b'], 120);
    const after = send('after', ['b', 'c'], 10, waited);
    const aside = send('aside', ['d'], 10);
    await Promise.all([slow, after, aside]);
    expect(order).toEqual(['slow begins', 'aside begins', 'aside ends', 'slow ends', 'after begins', 'after ends']);
    expect(waited).toEqual(['b']);
  });

  test('one that fails gives its devices back, and what waits is made ready again', async () => {
    const queue = new SendQueue();
    let made = 0;
    const failing = queue.run(
      () => ({ work: null, devices: ['a'] }),
      () => {},
      async () => {
        await pause(20);
        throw new Error('the disk is full');
      },
    );
    const next = queue.run(
      () => ({ work: (made += 1), devices: ['a'] }),
      () => {},
      async (work) => work,
    );
    await expect(failing).rejects.toThrow('full');
    expect(await next).toBe(2);
  });
});
