import { createServer, type Server } from 'node:net';
import { Pulse, type PulsePlace } from './pulse';

const HOST = '127.99.8.1';
const listening = (host: string, port: number) =>
  new Promise<Server>((resolve, reject) => {
    const server = createServer((socket) => socket.destroy());
    server.once('error', reject).listen(port, host, () => resolve(server));
  });
const closed = (server: Server) => new Promise<void>((resolve) => server.close(() => resolve()));

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
    let server = await listening(HOST, 18_431);
    const { pulse, told, next } = pulseOf(
      { nodeId: 'one', host: HOST, port: 18_431 },
      { nodeId: 'same box', host: HOST, port: 18_431 },
    );
    open.push(pulse);
    await closed(server);
    const wentAt = Date.now();
    await next('one silent');
    await next('same box silent');
    expect(Date.now() - wentAt).toBeLessThan(3000);
    server = await listening(HOST, 18_431);
    await next('one answers');
    await next('same box answers');
    expect(told).toEqual([]);
    await closed(server);
  });

  test('one that accepts connections is there, however long it takes to say anything', async () => {
    const silentServer = createServer(() => undefined);
    await new Promise<void>((resolve) => silentServer.listen(18_432, HOST, resolve));
    let connections = 0;
    silentServer.on('connection', () => (connections += 1));
    const { pulse, told } = pulseOf({ nodeId: 'slow', host: HOST, port: 18_432 });
    open.push(pulse);
    while (connections < 3) await new Promise((resolve) => setTimeout(resolve, 50));
    expect(told).toEqual([]);
    pulse.stop();
    await closed(silentServer);
  });

  test('one failure is none: a device that misses a single try is not told as lost', async () => {
    const { pulse, told, next } = pulseOf({ nodeId: 'blinks', host: HOST, port: 18_433 });
    open.push(pulse);
    const server = await listening(HOST, 18_433);
    const other = pulseOf({ nodeId: 'dead', host: HOST, port: 18_434 });
    open.push(other.pulse);
    await other.next('dead silent');
    expect(told).toEqual([]);
    await closed(server);
    await next('blinks silent');
  });

  test('who is not followed any more, or was forgotten, is not told of; who comes again is tried afresh', async () => {
    const { pulse, told, next } = pulseOf({ nodeId: 'gone', host: HOST, port: 18_435 });
    open.push(pulse);
    await next('gone silent');
    pulse.forget('gone');
    pulse.follow([{ nodeId: 'other', host: HOST, port: 18_436 }]);
    await next('other silent');
    expect(told).toEqual([]);
    pulse.follow([{ nodeId: 'gone', host: HOST, port: 18_435 }]);
    await next('gone silent');
  });

  test('two thousand devices are all tried, the longest waiting first', async () => {
    const places = Array.from({ length: 2000 }, (_, n) => ({
      nodeId: `n${n}`,
      host: `127.99.${9 + Math.floor(n / 250)}.${1 + (n % 250)}`,
      port: 18_437,
    }));
    const { pulse, told } = pulseOf(...places);
    open.push(pulse);
    while (told.length < 2000) await new Promise((resolve) => setTimeout(resolve, 50));
    expect(new Set(told).size).toBe(2000);
  });
});
