import { createServer, type Server } from 'node:net';
import { Pulse, type PulsePlace } from './pulse';
import { portOf } from './test-port';

const HOST = '127.99.8.1';
const listening = (host: string, port: number) =>
  new Promise<Server>((resolve, reject) => {
    const server = createServer((socket) => socket.destroy());
    server.once('error', reject).listen(port, host, () => resolve(server));
  });
const closed = (server: Server) => new Promise<void>((resolve) => server.close(() => resolve()));

const pause = () => new Promise((resolve) => setTimeout(resolve, 20));

/** A pulse whose news can be waited for. */
function pulseOf(...places: PulsePlace[]) {
  const told: string[] = [];
  let wake = () => {};
  const pulse = new Pulse((nodeId, isSilent) => {
    told.push(`${nodeId} ${isSilent ? 'silent' : 'answers'}`);
    wake();
  });
  pulse.follow(places);
  pulse.start();
  const next = async (text: string) => {
    while (!told.includes(text)) await new Promise<void>((resolve) => (wake = resolve));
    told.splice(told.indexOf(text), 1);
  };
  return { pulse, told, next };
}

describe('the pulse of devices', () => {
  let open: Pulse[] = [];
  afterEach(() => {
    for (const pulse of open) pulse.stop();
    open = [];
  });

  test('a device that is unplugged is noticed within three seconds, and so is its return', async () => {
    let server = await listening(HOST, portOf(18_431));
    const { pulse, told, next } = pulseOf(
      { nodeId: 'one', host: HOST, port: portOf(18_431) },
      { nodeId: 'same box', host: HOST, port: portOf(18_431) },
    );
    open.push(pulse);
    await closed(server);
    const wentAt = Date.now();
    await next('one silent');
    await next('same box silent');
    expect(Date.now() - wentAt).toBeLessThan(3000);
    server = await listening(HOST, portOf(18_431));
    await next('one answers');
    await next('same box answers');
    expect(told).toEqual([]);
    await closed(server);
  });

  test('one that accepts connections is there, however long it takes to say anything', async () => {
    const silentServer = createServer(() => undefined);
    await new Promise<void>((resolve) => silentServer.listen(portOf(18_432), HOST, resolve));
    let connections = 0;
    silentServer.on('connection', () => (connections += 1));
    const { pulse, told } = pulseOf({ nodeId: 'slow', host: HOST, port: portOf(18_432) });
    open.push(pulse);
    while (connections < 3) await new Promise((resolve) => setTimeout(resolve, 50));
    expect(told).toEqual([]);
    pulse.stop();
    await closed(silentServer);
  });

  test('one failure is none: a device that misses a single try is not reported as lost, one that misses two in a row is', async () => {
    const answers = [true, false, true, false, true, true, false, false];
    const asked: boolean[] = [];
    const told: string[] = [];
    const pulse = new Pulse(
      (nodeId, isSilent) => told.push(`${nodeId} ${isSilent}`),
      () => {
        const isThere = answers[asked.length] ?? false;
        asked.push(isThere);
        return Promise.resolve(isThere);
      },
    );
    open.push(pulse);
    pulse.follow([{ nodeId: 'blinks', host: 'h', port: 1 }]);
    pulse.start();
    while (asked.length < answers.length - 1) await pause();
    expect(told).toEqual([]);
    while (told.length === 0) await pause();
    expect(told).toEqual(['blinks true']);
    expect(asked).toEqual(answers);
  });

  test('who is not followed any more, or was forgotten, is not reported; who comes again is tried afresh', async () => {
    const { pulse, told, next } = pulseOf({ nodeId: 'gone', host: HOST, port: portOf(18_435) });
    open.push(pulse);
    await next('gone silent');
    pulse.forget('gone');
    pulse.follow([{ nodeId: 'other', host: HOST, port: portOf(18_436) }]);
    await next('other silent');
    expect(told).toEqual([]);
    pulse.follow([{ nodeId: 'gone', host: HOST, port: portOf(18_435) }]);
    await next('gone silent');
  });

  test('a thousand devices are all tried at the pace that is stated, the longest waiting first', async () => {
    const places = Array.from({ length: 1000 }, (_, n) => ({ nodeId: `n${n}`, host: `h${n}`, port: 1 }));
    const triesOf = new Map<string, number>();
    const pulse = new Pulse(
      () => undefined,
      (host) => {
        triesOf.set(host, (triesOf.get(host) ?? 0) + 1);
        return Promise.resolve(true);
      },
    );
    open.push(pulse);
    expect(pulse.noticedWithinMs).toBe(2700);
    pulse.follow(places);
    expect(pulse.noticedWithinMs).toBe(3700);
    pulse.start();
    while (Math.min(...triesOf.values()) < 2 || triesOf.size < 1000) {
      await pause();
      // Nobody has a turn more than another: the one that waited longest comes first.
      const counts = places.map(({ host }) => triesOf.get(host) ?? 0);
      expect(Math.max(...counts) - Math.min(...counts)).toBeLessThanOrEqual(2);
    }
  });
});
