import { writeSdp, type SdpAudio } from '../formats/sdp';
import { formatAddress } from '../network/address';
import { reckon } from '../reckon/reckon';
import { importSdp } from './import-sdp';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';

const audio = (n: number, change: Partial<SdpAudio> = {}, from = '10.0.0.77'): SdpAudio => ({
  name: `Boat desk stream ${n}`,
  origin: { username: '-', sessionId: String(n), version: 1, address: from },
  payloadType: 97,
  format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
  channels: 8,
  mediaClockOffset: 0,
  referenceClock: 'ptp=IEEE1588-2008:00-11-22-FF-FE-33-44-55:0',
  channelOrder: null,
  legs: [{ mid: null, group: `239.71.9.${n}`, ttl: 32, port: 5004, sourceAddress: from }],
  ...change,
});
const file = (n: number, change: Partial<SdpAudio> = {}, from?: string) => ({
  name: `stream-${n}.sdp`,
  text: writeSdp(audio(n, change, from)),
});
const start = () => planOf({ amp: modelNamed('amp-8') });

describe('senders that only their SDP is known of', () => {
  test('become one device with their channels, held streams and the groups they have, which receivers hear as they are', () => {
    const { items, commands } = importSdp(start(), [file(1), file(2, { channels: 2 })]);
    expect(items.map((i) => [i.verdict, i.device])).toEqual([
      ['new', 'Boat desk'],
      ['new', 'Boat desk'],
    ]);
    const plan = apply(start(), ...commands, feed('boat-desk', 9, 'amp', 1, 2), feed('boat-desk', 3, 'amp', 3));
    const { streamsBySender, groupsByStream, lanesByReceiver } = reckon(plan);
    expect(streamsBySender.get('boat-desk')?.map((s) => [s.streamNumber, s.channels.length, s.isHeld])).toEqual([
      [1, 8, true],
      [2, 2, true],
    ]);
    expect(formatAddress(groupsByStream.get('boat-desk/2')?.A ?? 0)).toBe('239.71.9.2');
    const lane = lanesByReceiver.get('amp')?.get(3);
    expect(lane).toMatchObject({
      verdict: 'fits',
      position: 3,
      // It is held, so nothing has to be written at its sender; no cables are drawn to it.
      reception: { caution: { code: 'path-unknown' } },
    });
    expect(plan.interfaces.get('boat-desk')?.get('A')).toMatchObject({ subnetId: 'a', address: '10.0.0.77' });
  });

  test('with two legs have an address on both', () => {
    const legs = ['A', 'B'].map((mid, n) => ({
      ...{ mid, group: `239.7${n + 1}.9.1`, ttl: 32, port: 5004, sourceAddress: `10.${n}.0.77` },
    }));
    const plan = apply(start(), ...importSdp(start(), [file(1, { legs })]).commands);
    expect(plan.interfaces.get('boat-desk')?.get('B')).toMatchObject({ subnetId: null, address: '10.1.0.77' });
    expect(plan.groupChoices.get('boat-desk')?.get(1)).toMatchObject({ groupA: '239.71.9.1', groupB: '239.72.9.1' });
  });

  test('whose address a device of the plan has are known, and left as they are', () => {
    const { items, commands } = importSdp(start(), [file(1, {}, '10.0.0.11')]);
    expect(items).toMatchObject([{ verdict: 'known', device: 'amp' }]);
    expect(commands).toEqual([]);
  });

  test('that are taken in again are known too', () => {
    const plan = apply(start(), ...importSdp(start(), [file(1)]).commands);
    expect(importSdp(plan, [file(1)])).toMatchObject({
      items: [{ verdict: 'known', device: 'Boat desk' }],
      commands: [],
    });
  });

  test('of two addresses are two devices, with names of their own', () => {
    const { items } = importSdp(start(), [file(1), file(1, {}, '10.0.0.78')]);
    expect(items.map((i) => i.device)).toEqual(['Boat desk', 'Boat desk 2']);
  });

  test('bad ones are named and hold up no other', () => {
    const { items, commands } = importSdp(start(), [
      { name: 'cut.sdp', text: file(1).text.slice(0, 40) },
      file(2),
      file(3, { channels: 4, format: { encoding: 'L24', rateHz: 96_000, packetTimeUs: 1000 } }),
      { name: 'again.sdp', text: file(2).text },
      { name: 'notes.txt', text: 'bring the long cable' },
    ]);
    expect(items.map((i) => i.verdict)).toEqual(['refused', 'new', 'refused', 'refused', 'refused']);
    expect(items[2]?.problem).toMatch(/one format each/);
    expect(items[3]?.problem).toBe('same session as stream-2.sdp');
    expect(items[4]?.problem).toMatch(/does not begin with v=0/);
    expect(commands.filter((c) => c.kind === 'add-device')).toHaveLength(1);
  });

  test('on another port say so', () => {
    const legs = [{ mid: null, group: '239.71.9.1', ttl: 32, port: 6000, sourceAddress: '10.0.0.77' }];
    expect(importSdp(start(), [file(1, { legs })]).items[0]?.problem).toMatch(/^port 6000, the plan uses 5004/);
  });
});
