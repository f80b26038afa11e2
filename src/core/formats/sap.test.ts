import fc from 'fast-check';
import { strToU8, zlibSync } from 'fflate';
import { AnnouncedSessions, readSap, writeSap, type SapMessage } from './sap';

const sdp = (id: number, version: number, name = 'Tide bell') =>
  `v=0\r\no=- ${id} ${version} IN IP4 10.71.36.11\r\ns=${name}\r\nt=0 0\r\n`;
const octets = (...bytes: number[]) => Uint8Array.from(bytes);
const ORIGIN = 0x0a47240b;
const message = (kind: 'announce' | 'delete', messageIdHash: number, payload: string): SapMessage => ({
  ...{ kind, messageIdHash, payload },
  origin: '10.71.36.11',
  payloadType: 'application/sdp',
});

describe('a session announcement (RFC 2974)', () => {
  test('is written octet by octet as the clause has it', () => {
    const packet = writeSap({ kind: 'announce', messageIdHash: 0x1234, payload: 'v=0' }, ORIGIN);
    expect([...packet.subarray(0, 8)]).toEqual([0x20, 0, 0x12, 0x34, 10, 71, 36, 11]);
    expect(new TextDecoder().decode(packet.subarray(8))).toBe('application/sdp\0v=0');
    expect(writeSap({ kind: 'delete', messageIdHash: 1, payload: '' }, ORIGIN)[0]).toBe(0x24);
  });

  const compressed = (text: string) => {
    const plain = writeSap({ kind: 'announce', messageIdHash: 7, payload: '' }, ORIGIN).subarray(0, 8);
    const packet = new Uint8Array([...plain, ...zlibSync(strToU8(text))]);
    packet[0] = 0x21;
    return packet;
  };

  test('clause 6: what is compressed is read like any other', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 3000 }), (text) => {
        const payload = sdp(1, 1, text.replace(/[\r\n\0]/g, ' '));
        const read = readSap(compressed(`application/sdp\0${payload}`));
        expect(read.ok && read.message).toEqual(message('announce', 7, payload));
      }),
    );
  });

  test('what is small until it is unpacked is stopped', () => {
    const packet = compressed('v=0' + ' '.repeat(10_000_000));
    expect(packet.length).toBeLessThan(16_000);
    expect(readSap(packet).ok).toBe(false);
  });

  test('clause 5: a hash of 0 is none: sessions of one announcer are told apart by their o= lines', () => {
    const sessions = new AnnouncedSessions();
    expect(sessions.take(message('announce', 0, sdp(1, 1)), 0)).toBe('new');
    expect(sessions.take(message('announce', 0, sdp(2, 1)), 1)).toBe('new');
    expect(sessions.take(message('announce', 0, sdp(1, 2, 'Renamed')), 2)).toBe('changed');
    expect(
      sessions
        .list()
        .map((s) => s.payload)
        .sort(),
    ).toEqual([sdp(1, 2, 'Renamed'), sdp(2, 1)].sort());
    expect(sessions.take(message('delete', 0, sdp(1, 2)), 3)).toBe('gone');
    expect(sessions.list()).toHaveLength(1);
  });

  test('written and read is the same, for any text', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('announce' as const, 'delete' as const),
        fc.integer({ min: 0, max: 0xffff }),
        fc.string({ unit: 'grapheme', maxLength: 80 }),
        (kind, messageIdHash, payload) => {
          const result = readSap(writeSap({ kind, messageIdHash, payload }, ORIGIN));
          expect(result).toEqual({ ok: true, message: message(kind, messageIdHash, payload) });
        },
      ),
    );
  });

  test('without a type is SDP; authentication data is passed over; an IPv6 origin is read', () => {
    const text = [...new TextEncoder().encode('v=0\r\ns=x\r\n')];
    const plain = readSap(octets(0x20, 0, 0, 7, 10, 0, 0, 1, ...text));
    expect(plain).toMatchObject({
      message: { payloadType: 'application/sdp', payload: 'v=0\r\ns=x\r\n', origin: '10.0.0.1' },
    });
    const signed = readSap(octets(0x20, 2, 0, 7, 10, 0, 0, 1, 1, 2, 3, 4, 5, 6, 7, 8, ...text));
    expect(signed).toMatchObject({ message: { payload: 'v=0\r\ns=x\r\n' } });
    const six = readSap(octets(0x30, 0, 0, 7, 0xfe, 0x80, ...Array<number>(13).fill(0), 1, ...text));
    expect(six).toMatchObject({ message: { origin: 'fe80:0:0:0:0:0:0:1' } });
  });

  test.each([
    [octets(0x20, 0, 0), '3 bytes are too few for a header'],
    [octets(0x40, 0, 0, 0, 1, 2, 3, 4), 'version 2 is not 1'],
    [octets(0x22, 0, 0, 0, 1, 2, 3, 4), 'it is encrypted'],
    [octets(0x21, 0, 0, 0, 1, 2, 3, 4, 9, 9), 'what is compressed in it cannot be unpacked to at most 16384 bytes'],
    [octets(0x20, 9, 0, 0, 1, 2, 3, 4), 'it ends within its header'],
    [octets(0x20, 0, 0, 0, 1, 2, 3, 4, 0xff, 0xfe), 'the payload is not text in UTF-8'],
  ])('that cannot be read says why: %s', (packet, problem) => expect(readSap(packet)).toEqual({ ok: false, problem }));

  test('whatever comes in is answered, never thrown at', () => {
    fc.assert(fc.property(fc.uint8Array({ maxLength: 60 }), (packet) => void readSap(packet)));
  });
});

describe('what is announced', () => {
  test('is new once, then again; a new version takes the place of the old; a deletion ends it', () => {
    const sessions = new AnnouncedSessions();
    expect(sessions.take(message('announce', 1, sdp(5, 1)), 0)).toBe('new');
    expect(sessions.take(message('announce', 1, sdp(5, 1)), 300_000)).toBe('again');
    expect(sessions.take(message('announce', 2, sdp(5, 2, 'Ebb bell')), 400_000)).toBe('changed');
    expect(sessions.list()).toMatchObject([{ messageIdHash: 2, firstHeardAt: 0, lastHeardAt: 400_000 }]);
    expect(sessions.take(message('delete', 2, ''), 500_000)).toBe('gone');
    expect(sessions.take(message('delete', 2, ''), 500_001)).toBe('ignored');
    expect(sessions.list()).toEqual([]);
  });

  test('of two origins is two sessions, though the hashes are the same, and only the own origin deletes', () => {
    const sessions = new AnnouncedSessions();
    const other = { ...message('announce', 1, sdp(5, 1)), origin: '10.0.0.9' };
    sessions.take(message('announce', 1, sdp(5, 1)), 0);
    sessions.take(other, 0);
    expect(sessions.list()).toHaveLength(2);
    sessions.take({ ...other, kind: 'delete' }, 1);
    expect(sessions.list().map((s) => s.origin)).toEqual(['10.71.36.11']);
  });

  test('lapses after ten periods, and not within the hour', () => {
    const sessions = new AnnouncedSessions();
    sessions.take(message('announce', 1, sdp(5, 1)), 0);
    expect(sessions.lapse(3_600_000)).toEqual([]);
    sessions.take(message('announce', 1, sdp(5, 1)), 600_000);
    expect(sessions.lapse(600_000 + 6_000_000)).toEqual([]);
    expect(sessions.lapse(600_000 + 6_000_001)).toHaveLength(1);
    expect(sessions.list()).toEqual([]);
  });

  test('by one who makes up sessions without end does not fill the memory', () => {
    const sessions = new AnnouncedSessions();
    for (let n = 0; n < 5000; n += 1)
      sessions.take({ ...message('announce', n, sdp(n, 1)), origin: `10.0.${n >> 8}.${n & 255}` }, n);
    expect(sessions.list()).toHaveLength(4096);
    // Somebody real comes, and stays: announced again, it is heard more than any of those.
    const real = message('announce', 7, sdp(7, 1));
    expect(sessions.take(real, 6000)).toBe('new');
    expect(sessions.take(real, 6001)).toBe('again');
    for (let n = 0; n < 5000; n += 1)
      sessions.take({ ...message('announce', n, sdp(n, 1)), origin: `10.1.${n >> 8}.${n & 255}` }, 7000 + n);
    expect(sessions.take(real, 13_000)).toBe('again');
    expect(sessions.displaced).toBeGreaterThan(5000);
  });

  test('of one origin has its share of the places, and takes none of others', () => {
    const sessions = new AnnouncedSessions();
    sessions.take({ ...message('announce', 1, sdp(1, 1)), origin: '10.0.0.1' }, 0);
    for (let n = 1; n < 3000; n += 1) sessions.take(message('announce', n, sdp(n, 1)), n);
    expect(sessions.list()).toHaveLength(513);
    expect(sessions.list().some((s) => s.origin === '10.0.0.1')).toBe(true);
  });
});
