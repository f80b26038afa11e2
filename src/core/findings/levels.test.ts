import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { apply, busSend, modelNamed, planOf } from '../plan/test-plan';
import { applyCommands } from '../plan/apply-commands';
import { provenFixes } from '../reckon/proven-fixes';
import { reckon } from '../reckon/reckon';
import { PLAIN_CHANNEL, type ChannelSettings } from '../signal/channel-settings-table';
import { nodeOf } from '../signal/graph';
import { levelsOf } from '../signal/levels';
import { PLAIN_PLUGGED, type PluggedIn } from '../signal/plugged-in-table';

/** Facts of the trade about levels, each with numbers worked out by hand: 0 dB of gain is full scale at +24 dBu. */

const start = planOf({
  desk: modelNamed('console-72'),
  amp: modelNamed('amp-8'),
  box: modelNamed('stage-box-24'),
  converter: modelNamed('converter-64'),
});
const mic = (terminalId: string, channel: number, rest: Partial<PluggedIn> = {}, deviceId = 'desk'): Command => ({
  kind: 'put-plugged-in',
  plugged: {
    ...{ ...PLAIN_PLUGGED, deviceId, terminalId, channel, name: 'Bell', kind: 'microphone', powering: 'none' },
    ...rest,
  },
});
const settings = (channel: number, rest: Partial<ChannelSettings>, terminalId = 'mic-in'): Command => ({
  kind: 'put-channel-settings',
  settings: { ...PLAIN_CHANNEL, deviceId: 'desk', terminalId, channel, ...rest },
});
const toStrip = (strip: number, mic: number): Command => ({
  kind: 'put-patch',
  patch: {
    ...{ deviceId: 'desk', terminalId: 'strips', channel: strip, tap: null },
    from: { terminalId: 'mic-in', channel: mic },
  },
});
const misfits = (plan: Plan) =>
  reckon(plan).findings.flatMap((f) =>
    f.about === 'analogue-end' || f.about === 'bus-clips' ? [{ severity: f.severity, ...f.misfit }] : [],
  );
function fixed(plan: Plan): Plan {
  const r = reckon(plan);
  const finding = r.findings.find((f) => f.about === 'analogue-end' || f.about === 'bus-clips')!;
  return apply(plan, ...provenFixes(r, finding)[0]!.commands);
}

test('a microphone of at most -10 dBu at 33 dB is -1 dBFS at its socket; sent to a bus at +10 dB it clips there at +9 dBFS', () => {
  const plan = apply(
    start,
    mic('mic-in', 1, { levelDbu: -40, maxLevelDbu: -10 }),
    settings(1, { gainDb: 33 }),
    toStrip(1, 1),
    busSend('desk', 1, 1, { levelDb: 10 }),
  );
  expect(misfits(plan)).toEqual([
    {
      severity: 'caution',
      code: 'bus-clips',
      from: { deviceId: 'desk', terminalId: 'strips', channel: 1 },
      mostDbfs: -1,
      sendDb: 10,
      overDb: 9,
    },
  ]);
  expect(misfits(apply(plan, busSend('desk', 1, 1, { levelDb: 1 })))).toEqual([]);
  expect(fixed(plan).busSends.get('desk')?.get('buses/1/strips/1')?.levelDb).toBe(1);
});

describe('two microphones of -30 dBFS on one bus', () => {
  const plan = apply(
    start,
    ...[1, 2].flatMap((n) => [mic('mic-in', n, { levelDbu: -46 }), settings(n, { gainDb: 40 }), toStrip(n, n)]),
    busSend('desk', 1, 1),
    busSend('desk', 2, 1),
  );
  const levelAt = (p: Plan, terminalId: string, channel: number) => {
    const { signal } = reckon(p);
    return levelsOf(signal, p)(nodeOf(signal, { deviceId: 'desk', terminalId, channel }));
  };

  test('are -26.99 dBFS together, and 3.01 dB more if they are alike', () => {
    const { dbfs, alikeDb, isAtLeast } = levelAt(plan, 'buses', 1);
    expect([dbfs, alikeDb, isAtLeast]).toEqual([expect.closeTo(-26.99, 2), expect.closeTo(3.01, 2), false]);
    // Out of the console at +24 dBu for full scale.
    expect(
      levelAt(
        apply(plan, {
          kind: 'put-patch',
          patch: {
            deviceId: 'desk',
            terminalId: 'line-out',
            channel: 1,
            from: { terminalId: 'buses', channel: 1 },
            tap: null,
          },
        }),
        'line-out',
        1,
      ).dbu,
    ).toBeCloseTo(-2.99, 2);
  });

  test('with a third of unknown level they are at least that', () => {
    const more = apply(plan, mic('mic-in', 3), toStrip(3, 3), busSend('desk', 3, 1));
    expect(levelAt(more, 'buses', 1)).toMatchObject({ dbfs: expect.closeTo(-26.99, 2), isAtLeast: true });
  });

  test('a strip that nothing feeds adds nothing', () => {
    expect(levelAt(apply(plan, busSend('desk', 9, 1)), 'buses', 1)).toMatchObject({
      dbfs: expect.closeTo(-26.99, 2),
      isAtLeast: false,
    });
  });
});

test('a microphone of -46 dBu without gain is -70 dBFS: too quiet, and 50 dB bring it to -20', () => {
  const plan = apply(start, mic('mic-in', 1, { levelDbu: -46, maxLevelDbu: -20 }), settings(1, { gainDb: 0 }));
  expect(misfits(plan)).toEqual([{ severity: 'caution', code: 'too-quiet', usualDbu: -46, gainDb: 0, dbfs: -70 }]);
  expect(misfits(apply(plan, settings(1, { gainDb: 30 })))).toEqual([]);
});

test('phantom power on a microphone with its own supply is a caution; off it is none', () => {
  const plan = apply(start, mic('mic-in', 1, { powering: 'own' }), settings(1, { hasPhantom: true }));
  expect(misfits(plan)).toEqual([{ severity: 'caution', code: 'phantom-unneeded' }]);
  expect(misfits(fixed(plan))).toEqual([]);
  expect(misfits(apply(start, mic('mic-in', 1, { powering: 'phantom' }), settings(1, { hasPhantom: true })))).toEqual(
    [],
  );
});

test('a microphone in a socket for AES3 is refused', () => {
  expect(misfits(apply(start, mic('aes3-in', 1, {}, 'converter')))).toEqual([
    { severity: 'refusal', code: 'analogue-into-digital', format: 'AES3' },
  ]);
});

test('a loudspeaker of 8 ohm needs an amplifier: refused at a line output, not at an amplifier; one with its own amplifier is none', () => {
  const speaker = (deviceId: string, terminalId: string, impedanceOhm: number | null) =>
    misfits(apply(start, mic(terminalId, 1, { kind: 'loudspeaker', impedanceOhm }, deviceId)));
  expect(speaker('box', 'line-out', 8)).toEqual([{ severity: 'refusal', code: 'loudspeaker-on-line', ohm: 8 }]);
  expect(speaker('amp', 'speaker-out', 8)).toEqual([]);
  expect(speaker('box', 'line-out', null)).toEqual([]);
  expect(speaker('box', 'line-out', 10_000)).toEqual([]);
});

test('a gain of 30.5 dB on steps of 1 dB cannot be set', () => {
  const outcome = applyCommands(start, [settings(1, { gainDb: 30.5 })]);
  expect(outcome.ok ? null : outcome.problem).toMatchObject({
    reason: 'out-of-range',
    value: '30.5',
    limit: 'steps of 1 dB from 0 dB',
  });
  expect(applyCommands(start, [settings(1, { gainDb: 30 })]).ok).toBe(true);
});

test('tracks in blocks of 8 that are as the model leads them are never refused, though 60 channels fill no whole block', () => {
  const tape = modelNamed('recorder-96-blocks', { channelsReceive: 60 });
  const patch = (channel: number, from: number): Command => ({
    kind: 'put-patch',
    patch: {
      deviceId: 'tape',
      terminalId: 'tracks',
      channel,
      from: { terminalId: 'network-in', channel: from },
      tap: null,
    },
  });
  const blocks = (plan: Plan) =>
    reckon(plan).findings.flatMap((f) => (f.about === 'patch-block' ? [f.channels.join()] : []));
  const whole = apply(planOf({ tape }), ...[1, 2, 3, 4, 5, 6, 7, 8].map((n) => patch(n, n + 8)));
  expect(blocks(whole)).toEqual([]);
  expect(blocks(apply(whole, patch(3, 40)))).toEqual(['1,2,3,4,5,6,7,8']);
});
