import { createServer } from 'node:net';
import { Describer } from '../standins/describer';
import { AnnouncementListener } from './announcements';
import { describe as describeSession, parseRtspUrl } from './rtsp';
import { until } from './test-bench';
import { portOf } from './test-port';

const SDP = (version: number, group: string) =>
  [
    'v=0',
    `o=- 77 ${version} IN IP4 127.99.11.1`,
    's=Harbour bells',
    `c=IN IP4 ${group}/32`,
    't=0 0',
    'm=audio 5004 RTP/AVP 97',
    'a=rtpmap:97 L24/48000/2',
    'a=ptime:1',
    'a=ts-refclk:localmac=02-00-00-00-00-01',
    'a=mediaclk:direct=0',
    '',
  ].join('\r\n');
const PORT = portOf(15_554);
const at = (path: string) => parseRtspUrl(`rtsp://127.99.11.1:${PORT}${path}`)!;

test.each([
  ['rtsp://10.20.0.40/by-name/main', { address: '10.20.0.40', port: 554 }],
  ['rtsp://10.20.0.40:8554', { address: '10.20.0.40', port: 8554 }],
])('%s', (url, expected) => expect(parseRtspUrl(url)).toEqual({ url, ...expected }));
test.each(['http://10.20.0.40/', 'rtsp://venue.example/', 'rtsp://10.20.0.40:99999/', 'rtsp://10.20.0.40/a\r\nb'])(
  '%j is no such address',
  (url) => expect(parseRtspUrl(url)).toBeNull(),
);

describe('a sender that describes itself only when it is asked', () => {
  const sender = new Describer('127.99.11.1', PORT);
  beforeAll(() => sender.start());
  afterAll(() => sender.stop());

  test('is asked as RFC 2326 wants it, and what it says is read', async () => {
    sender.sessions.set('/by-name/bells', SDP(1, '239.71.40.1'));
    expect(await describeSession(at('/by-name/bells'))).toBe(SDP(1, '239.71.40.1'));
    await expect(describeSession(at('/by-name/none'))).rejects.toThrow('refused with 404');
  });

  test.each([
    ['not RTSP at all', 'HTTP/1.1 200 OK\r\n\r\n', 'the answer is not RTSP'],
    [
      'of another kind',
      'RTSP/1.0 200 OK\r\nContent-Type: text/plain\r\nContent-Length: 1\r\n\r\na',
      'the answer is not SDP',
    ],
    [
      'without its length',
      'RTSP/1.0 200 OK\r\nContent-Type: application/sdp\r\nContent-Length: x\r\n\r\n',
      'does not say how long',
    ],
    ['broken off', 'RTSP/1.0 200 OK\r\nContent-Type: application/sdp\r\nContent-Length: 99\r\n\r\nv=0', 'ended before'],
    ['without end', `RTSP/1.0 200 OK\r\nX: ${'a'.repeat(200_000)}`, 'too long'],
  ])('an answer that is %s is an error that says so', async (_, answer, problem) => {
    const odd = createServer((socket) => {
      socket.on('error', () => undefined);
      socket.once('data', () => socket.end(answer));
    });
    await new Promise<void>((done) => odd.listen(portOf(15_555), '127.99.11.2', done));
    await expect(describeSession(parseRtspUrl(`rtsp://127.99.11.2:${portOf(15_555)}/`)!)).rejects.toThrow(problem);
    await new Promise((done) => odd.close(done));
  });

  test('its session is there as one that is announced, changes, and is gone when it is described no more', async () => {
    sender.sessions.set('/by-name/bells', SDP(1, '239.71.40.1'));
    const listener = new AnnouncementListener([], () => {}, undefined, [at('/by-name/bells')], 50);
    listener.start();
    await until(() => listener.streams().has('239.71.40.1'));
    expect(listener.streams().get('239.71.40.1')!.from).toBe('127.99.11.1');
    expect(listener.state().places).toMatchObject([{ address: '127.99.11.1', port: PORT, problem: null }]);
    sender.sessions.set('/by-name/bells', SDP(2, '239.71.40.2'));
    await until(() => listener.streams().has('239.71.40.2') && !listener.streams().has('239.71.40.1'));
    sender.sessions.clear();
    await until(() => listener.streams().size === 0);
    expect(listener.state().places[0]!.problem).toBe('refused with 404');
    listener.stop();
  });
});
