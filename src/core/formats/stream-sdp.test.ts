import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { importSdp } from '../edits/import-sdp';
import { emptyPlan } from '../plan/plan';
import { brokenPlan } from '../plan/test-breaks';
import { apply } from '../plan/test-plan';
import { PLAIN_SUBNET } from '../network/subnets-table';
import { reckon } from '../reckon/reckon';
import { formatKey } from '../streams/format';
import { planOfFile } from './plan-file';
import { readSdp } from './sdp';
import { sdpFiles } from './stream-sdp';

const harbour = planOfFile(skerryPoint());
const NOW = Date.UTC(2026, 5, 1);

describe('streams of a plan as session descriptions', () => {
  test('each says format, width, groups, sender and whose time it keeps', () => {
    const files = sdpFiles(reckon(harbour), NOW);
    expect(files).toHaveLength(56);
    const { audio, problems } = readSdp(files.find((f) => f.streamId === 'loft-console/1')?.text ?? '');
    expect(problems).toEqual([]);
    expect(audio).toMatchObject({
      name: 'Loft console stream 1',
      channels: 8,
      format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
      mediaClockOffset: 0,
      legs: [
        { mid: 'A', sourceAddress: '10.71.36.11', port: 5004, ttl: 32 },
        { mid: 'B', sourceAddress: '10.72.36.11' },
      ],
    });
    const master = harbour.clocks.get('north-master')?.clockIdentity ?? '';
    expect(audio?.referenceClock?.replaceAll('-', '')).toContain(master);
  });

  test('a description made later has a higher session version (RFC 8866, clause 5.2)', () => {
    const versionAt = (ms: number) => readSdp(sdpFiles(reckon(harbour), ms)[0]!.text).audio!.origin.version;
    expect(versionAt(NOW)).toBe(NOW / 1000 + 2_208_988_800);
    expect(versionAt(NOW + 1000)).toBe(versionAt(NOW) + 1);
  });

  test('law: whatever is written is read without a problem and says the same, for plans with mistakes too', () => {
    fc.assert(
      fc.property(brokenPlan(harbour), (plan) => {
        const reckoning = reckon(plan);
        const streams = new Map([...reckoning.streamsBySender.values()].flat().map((s) => [s.id, s]));
        for (const { streamId, text } of sdpFiles(reckoning, NOW)) {
          const { audio } = readSdp(text);
          const stream = streams.get(streamId)!;
          expect(audio?.channels).toBe(stream.width);
          expect(audio && formatKey(audio.format)).toBe(stream.formatKey);
        }
      }),
      { numRuns: 15 },
    );
  });

  test('taken in by another plan they give the same senders, streams and groups', () => {
    const before = reckon(harbour);
    const files = sdpFiles(before, NOW);
    let plan = emptyPlan('Other');
    for (const s of harbour.subnets.values())
      plan = apply(plan, { kind: 'put-subnet', subnet: { ...s, ...PLAIN_SUBNET } });
    const { items, commands } = importSdp(plan, files);
    expect(items.filter((i) => i.verdict === 'refused')).toEqual([]);
    const after = apply(plan, ...commands);
    expect(after.devices.size).toBe(before.streamsBySender.size);
    const groups = [...after.groupChoices.values()].flatMap((own) => [...own.values()].map((c) => c.groupA)).sort();
    const sent = files.map((f) => readSdp(f.text).audio?.legs[0]?.group ?? '').sort();
    expect(groups).toEqual(sent);
  });
});
