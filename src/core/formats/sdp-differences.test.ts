import fc from 'fast-check';
import type { SdpAudio } from './sdp';
import { sdpDifferences } from './sdp-differences';

const planned: SdpAudio = {
  name: 'Loft console stream 1',
  origin: { username: '-', sessionId: '1', version: 1, address: '10.0.0.1' },
  payloadType: 97,
  format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
  channels: 8,
  mediaClockOffset: 0,
  referenceClock: 'ptp=IEEE1588-2008:00-1D-C1-FF-FE-00-00-01:0',
  channelOrder: null,
  legs: [
    { mid: 'A', group: '239.1.0.1', ttl: 32, port: 5004, sourceAddress: '10.0.0.1' },
    { mid: 'B', group: '239.2.0.1', ttl: 32, port: 5004, sourceAddress: '10.1.0.1' },
  ],
};
const RECEIVERS = { routers: 1, isExactWidth: false };
const said = (change: Partial<SdpAudio>, receivers = RECEIVERS) =>
  sdpDifferences(planned, { ...planned, ...change }, receivers).map(
    (d) => `${d.severity} ${d.what} ${d.found} for ${d.planned}`,
  );
const onLegA = (change: object) => ({ legs: [{ ...planned.legs[0]!, ...change }, planned.legs[1]!] });

describe('what a sender says of a stream, held against the plan', () => {
  test('what says the same, or says nothing, differs in nothing', () => {
    expect(said({})).toEqual([]);
    expect(said({ name: 'Other', referenceClock: null, mediaClockOffset: null, payloadType: 98 })).toEqual([]);
    expect(said(onLegA({ ttl: null, sourceAddress: null }))).toEqual([]);
  });

  test.each<[Partial<SdpAudio>, string]>([
    [{ format: { ...planned.format, encoding: 'L16' } }, 'refusal encoding L16 for L24'],
    [{ format: { ...planned.format, rateHz: 96_000 } }, 'refusal rate 96000 for 48000'],
    [{ format: { ...planned.format, packetTimeUs: 125 } }, 'refusal packet-time 125 for 1000'],
    [{ channels: 6 }, 'refusal channels 6 for 8'],
    [{ channels: 16 }, 'caution channels 16 for 8'],
    [onLegA({ group: '239.9.9.9' }), 'refusal leg 239.9.9.9, 239.2.0.1 for 239.1.0.1'],
    [{ legs: [planned.legs[0]!] }, 'refusal leg 239.1.0.1 for 239.2.0.1'],
    [onLegA({ port: 5006 }), 'refusal port 5006 for 5004'],
    [onLegA({ sourceAddress: '10.0.0.9' }), 'caution source 10.0.0.9 for 10.0.0.1'],
    // One router takes one: what leaves with 1 is not let through (RFC 1812, clause 5.3.1).
    [onLegA({ ttl: 1 }), 'refusal ttl 1 for 32'],
    [onLegA({ ttl: 2 }), 'caution ttl 2 for 32'],
    [{ referenceClock: 'ptp=IEEE1588-2008:00-1D-C1-FF-FE-00-00-01:127' }, 'caution clock-domain 127 for 0'],
    [
      { referenceClock: 'ptp=IEEE1588-2008:00-1D-C1-FF-FE-00-00-02:0' },
      'caution grandmaster 00-1D-C1-FF-FE-00-00-02 for 00-1D-C1-FF-FE-00-00-01',
    ],
    [{ referenceClock: 'localmac=00-1D-C1-00-00-02' }, 'caution clock-kind own clock for ptp'],
  ])('%j', (change, expected) => expect(said(change)).toEqual([expected]));

  test('positions beyond the planned ones are another stream where a device has no channel map', () => {
    expect(said({ channels: 16 }, { ...RECEIVERS, isExactWidth: true })).toEqual(['refusal channels 16 for 8']);
  });

  test('law: of two values each difference names the one as planned and the other as found, whichever way round', () => {
    const side = fc.record({ channels: fc.integer({ min: 1, max: 64 }), ttl: fc.integer({ min: 1, max: 255 }) });
    fc.assert(
      fc.property(side, side, (a, b) => {
        const as = ({ channels, ttl }: typeof a) => ({ ...planned, channels, legs: [{ ...planned.legs[0]!, ttl }] });
        const there = sdpDifferences(as(a), as(b), RECEIVERS);
        const back = sdpDifferences(as(b), as(a), RECEIVERS);
        const turned = back.map(({ what, planned: p, found }) => ({ what, planned: found, found: p }));
        expect(there.map(({ what, planned: p, found }) => ({ what, planned: p, found }))).toEqual(turned);
      }),
    );
  });
});
