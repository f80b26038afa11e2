import { createSocket } from 'node:dgram';
import { writeSap } from '../core/formats/sap';
import { parseAddress } from '../core/network/address';
import { Announcer } from '../standins/announcer';
import { AnnouncementListener, parseAnnouncementPlaces, type AnnouncementState } from './announcements';

const place = { address: '127.0.0.1', port: 19_875 };
const boat = {
  id: 'boat',
  name: 'Boat player',
  address: '127.71.80.40',
  format: { encoding: 'L24', rateHz: 44_100, packetTimeUs: 1000 },
  streams: [
    { channels: 8, group: '239.71.200.1' },
    { channels: 2, group: '239.71.200.2' },
  ],
} as const;

async function until(what: () => boolean): Promise<void> {
  const end = Date.now() + 10_000;
  while (!what()) {
    if (Date.now() > end) throw new Error('it did not happen');
    await new Promise((resolve) => setTimeout(resolve, 10));
  }
}

describe('announcements on the network', () => {
  let listener: AnnouncementListener;
  let news = 0;
  const state = (): AnnouncementState => listener.state();
  beforeEach(async () => {
    news = 0;
    listener = new AnnouncementListener([place], () => (news += 1));
    listener.start();
    await until(() => news > 0);
  });
  afterEach(() => listener.stop());

  test('sessions are received with who announces them, and are gone when they are taken back', async () => {
    const announcer = new Announcer(boat, { to: place, periodMs: 50 });
    announcer.plug();
    await until(() => state().sessions.length === 2);
    expect(state().places).toEqual([{ ...place, problem: null, unread: 0, lastUnread: null }]);
    expect(state().sessions.map((s) => s.origin)).toEqual([boat.address, boat.address]);
    expect(state().sessions.some((s) => s.payload.includes('a=rtpmap:97 L24/44100/8'))).toBe(true);
    await until(() => state().sessions.every((s) => s.periodMs !== null));
    announcer.unplug();
    await until(() => state().sessions.length === 0);
  });

  test('what is no announcement is counted and said, and changes nothing', async () => {
    const socket = createSocket('udp4');
    const send = (packet: Uint8Array) => socket.send(packet, place.port, place.address);
    send(Uint8Array.from([1, 2, 3]));
    await until(() => state().places[0]?.unread === 1);
    expect(state().places[0]?.lastUnread).toContain('too few');
    // Somebody else cannot take a session back.
    const announcer = new Announcer(boat, { to: place, periodMs: 10_000 });
    announcer.plug();
    await until(() => state().sessions.length === 2);
    const [first] = state().sessions;
    const { messageIdHash, payload } = first as typeof first & object;
    send(writeSap({ kind: 'delete', messageIdHash, payload }, parseAddress('127.9.9.9') as number));
    await until(() => state().places[0]?.unread === 2);
    expect(state().sessions).toHaveLength(2);
    announcer.unplug();
    await until(() => state().sessions.length === 0);
    socket.close();
  });

  test('adapters are listened on besides while they are chosen, and what is set stays', async () => {
    const chosen = { address: '127.0.77.1', port: 9875 };
    listener.listenAlsoAt([chosen.address, place.address]);
    const addresses = () => state().places.map((p) => p.address);
    expect(addresses()).toEqual([place.address, chosen.address]);
    const announcer = new Announcer(boat, { to: chosen, periodMs: 50 });
    announcer.plug();
    await until(() => state().sessions.length === 2);
    listener.listenAlsoAt([]);
    expect(addresses()).toEqual([place.address]);
    expect(listener.isListening).toBe(true);
    announcer.unplug();
    // Nobody takes back there what was received there: it lapses by itself.
    expect(state().sessions).toHaveLength(2);
  });

  test('an adapter that is not there says so', async () => {
    const nowhere = new AnnouncementListener([{ address: '192.0.2.1', port: 19_876 }], () => undefined);
    nowhere.start();
    await until(() => nowhere.state().places[0]?.problem !== null);
    nowhere.stop();
  });
});

test('places are written with or without a port', () => {
  expect(parseAnnouncementPlaces('127.0.0.1:9880, 192.0.2.7')).toEqual([
    { address: '127.0.0.1', port: 9880 },
    { address: '192.0.2.7', port: 9875 },
  ]);
  expect(parseAnnouncementPlaces(undefined)).toEqual([]);
  expect(parseAnnouncementPlaces('eth0')).toEqual([]);
});

describe('announcements that mean no good', () => {
  const HOSTILE =
    'v=0\r\no=- 1 1 IN IP4 127.71.80.40\r\ns=Bad\r\nt=0 0\r\na=5\r\nm=audio 5004 RTP/AVP 97\r\nc=IN IP4 239.71.210.1/32\r\na=rtpmap:97 L24/48000/2\r\n';
  const origin = parseAddress('127.71.80.40')!;

  test('one attribute that is a number stops nothing', async () => {
    let news = 0;
    const listener = new AnnouncementListener([{ ...place, port: 19_876 }], () => (news += 1));
    listener.start();
    await until(() => news > 0);
    const socket = createSocket('udp4');
    socket.send(writeSap({ kind: 'announce', messageIdHash: 1, payload: HOSTILE }, origin), 19_876, '127.0.0.1');
    socket.send(writeSap({ kind: 'announce', messageIdHash: 2, payload: 'not SDP' }, origin), 19_876, '127.0.0.1');
    await until(() => listener.state().places[0]?.unread === 1);
    await until(() => listener.state().sessions.length === 1);
    expect(() => listener.streams()).not.toThrow();
    expect(listener.state().places[0]).toMatchObject({ unread: 1, lastUnread: 'not SDP' });
    listener.stop();
    socket.close();
  });

  test('a flood is reported as a few, read up to a limit, and the rest is counted', async () => {
    let news = 0;
    const listener = new AnnouncementListener([{ ...place, port: 19_877 }], () => (news += 1), 20);
    listener.start();
    await until(() => news > 0);
    news = 0;
    const start = Date.now();
    const socket = createSocket('udp4');
    let sent = 0;
    // Until it was too much for a second, however long a busy machine takes over sending.
    while ((listener.state().places[0]?.unread ?? 0) < 200) {
      const payload = HOSTILE.replace('239.71.210.1', `239.71.${sent >> 8}.${sent & 255}`).replace(
        '- 1 1',
        `- ${sent} 1`,
      );
      socket.send(writeSap({ kind: 'announce', messageIdHash: sent, payload }, origin), 19_877, '127.0.0.1');
      sent += 1;
      if (sent % 50 === 0) await new Promise((resolve) => setTimeout(resolve, 5));
    }
    const seconds = Math.ceil((Date.now() - start) / 1000) + 1;
    expect(listener.state().places[0]?.lastUnread).toBe('more than 20 datagrams in a second');
    expect(listener.state().sessions.length).toBeLessThanOrEqual(20 * seconds);
    expect(listener.state().sessions.length).toBeGreaterThan(0);
    expect(news).toBeLessThanOrEqual(5 * seconds);
    listener.stop();
    socket.close();
  });
});
