import { isIn } from './areas';
import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { apply, busSend, feed, modelNamed, planOf } from '../plan/test-plan';
import type { BusSend } from '../patch/bus-sends-table';
import { provenFixes } from '../reckon/proven-fixes';
import { reckon } from '../reckon/reckon';
import { PLAIN_CHANNEL, type ChannelSettings } from '../signal/channel-settings-table';
import { PLAIN_PLUGGED, type PluggedIn } from '../signal/plugged-in-table';
import type { Finding } from './finding';

const start = planOf({
  box: modelNamed('stage-box-24'),
  desk: modelNamed('console-72'),
  reverb: modelNamed('reverb-16'),
  amp: modelNamed('amp-8'),
  exhibit: modelNamed('endpoint-2'),
  tape: modelNamed('recorder-96-blocks'),
});
const send = (strip: number, bus: number, rest: Partial<BusSend> = {}) => busSend('desk', strip, bus, rest);
const plug = (deviceId: string, terminalId: string, channel: number, rest: Partial<PluggedIn> = {}): Command => ({
  kind: 'put-plugged-in',
  plugged: {
    ...PLAIN_PLUGGED,
    deviceId,
    terminalId,
    channel,
    name: 'Bell',
    kind: 'microphone',
    powering: 'own',
    ...rest,
  },
});
const set = (deviceId: string, terminalId: string, channel: number, rest: Partial<ChannelSettings>): Command => ({
  kind: 'put-channel-settings',
  settings: { ...PLAIN_CHANNEL, deviceId, terminalId, channel, ...rest },
});
const cable = (
  id: string,
  from: readonly [string, string, number],
  to: readonly [string, string, number],
): Command => ({
  kind: 'put-audio-cable',
  cable: {
    id,
    name: id,
    from: { deviceId: from[0], terminalId: from[1], channel: from[2] },
    to: { deviceId: to[0], terminalId: to[1], channel: to[2] },
    channels: 1,
    format: 'line',
    kind: 'balanced',
    grade: null,
    metres: 10,
    fromPlug: null,
    toPlug: null,
    adapter: null,
    attenuationDb: null,
  },
});

const found = (plan: Plan): Finding[] => reckon(plan).findings.filter((f) => isIn('patch', f));
/** Every way out that is offered takes the finding away. Returns what each does. */
function waysOut(plan: Plan, finding: Finding): string[] {
  return provenFixes(reckon(plan), finding).map((fix) => {
    expect(found(apply(plan, ...fix.commands)).map((f) => f.id)).not.toContain(finding.id);
    return fix.does;
  });
}
function only(plan: Plan): Finding {
  const all = found(plan);
  expect(all).toHaveLength(1);
  return all[0] as Finding;
}

describe('feedback', () => {
  const looped = (rest: Partial<BusSend>) =>
    apply(start, feed('desk', 57, 'reverb', 1), feed('reverb', 1, 'desk', 57), send(57, 57, rest));

  test('a return that reaches its own send is a loop, and a fader in it makes it a caution', () => {
    const finding = only(looped({ tap: 'after-fader' }));
    expect(finding).toMatchObject({
      about: 'feedback-loop',
      severity: 'caution',
      hasFader: true,
      deviceIds: ['desk', 'reverb'],
    });
    expect(finding.about === 'feedback-loop' && finding.ring.map((e) => `${e.deviceId} ${e.terminalId}`)).toEqual([
      'desk network-in',
      'desk strips',
      'desk buses',
      'desk network-out',
      'reverb network-in',
      'reverb network-out',
    ]);
    expect(waysOut(looped({ tap: 'after-fader' }), finding)).toEqual(['send-off']);
  });

  test('without any fader or mute on its way it is refused', () => {
    const plan = apply(
      planOf({ one: modelNamed('reverb-16'), two: modelNamed('reverb-16') }),
      feed('one', 1, 'two', 1),
      feed('two', 1, 'one', 1),
    );
    expect(only(plan)).toMatchObject({ severity: 'refusal', hasFader: false });
    // The bus has a fader of its own, wherever the strip is taken.
    expect(only(looped({ tap: 'before-fader' }))).toMatchObject({ severity: 'caution', hasFader: true });
  });

  test('a send that is off is no loop', () => {
    expect(found(looped({ isOn: false }))).toEqual([]);
  });
});

describe('one sound on two ways', () => {
  const direct = [
    plug('box', 'mic-in', 1),
    plug('amp', 'speaker-out', 1, { kind: 'loudspeaker' }),
    feed('desk', 1, 'amp', 1),
  ];

  /** A strip receives the stage box once more round: through its line output and the console's own socket. */
  const roundBySocket = (strip: number): Command[] => [
    feed('box', 1, 'box', 1),
    cable('back', ['box', 'line-out', 1], ['desk', 'mic-in', 1]),
    {
      kind: 'put-patch',
      patch: {
        ...{ deviceId: 'desk', terminalId: 'strips', channel: strip, tap: null },
        from: { terminalId: 'mic-in', channel: 1 },
      },
    },
  ];

  test('twice into one bus with different delays, with both; the same delay is none', () => {
    const twice = apply(start, ...direct, feed('box', 1, 'desk', 1), feed('box', 1, 'desk', 2), send(1, 1), send(2, 1));
    expect(found(twice)).toEqual([]);
    const late = apply(start, ...direct, feed('box', 1, 'desk', 1), ...roundBySocket(2), send(1, 1), send(2, 1));
    const finding = found(late).find((f) => f.about === 'same-sound-twice');
    expect(finding).toMatchObject({
      severity: 'caution',
      bus: { deviceId: 'desk', channel: 1 },
      source: { deviceId: 'box', channel: 1 },
    });
    const [early, second] = finding?.about === 'same-sound-twice' ? finding.delaysNs : [0, 0];
    // Line output and console input convert at 0.4 ms each.
    expect(second - early).toBe(2 * 400_000);
    expect(waysOut(late, finding as Finding)).toEqual(['send-off', 'send-off']);
  });

  test('of three ways the first and the last are told, whichever is found first', () => {
    // The strip that receives it late is the first, the middle or the last of three.
    for (const late of [1, 2, 3]) {
      const plan = apply(
        start,
        ...direct,
        ...[1, 2, 3].map((strip) => feed('box', 1, 'desk', strip)),
        ...roundBySocket(late),
        ...[1, 2, 3].map((strip) => send(strip, 1)),
      );
      const finding = found(plan).find((f) => f.about === 'same-sound-twice');
      expect(finding).toMatchObject({ feeders: [{ terminalId: 'strips' }, { channel: late }] });
      expect(finding?.about === 'same-sound-twice' && finding.delaysNs[1] - finding.delaysNs[0]).toBe(800_000);
    }
  });

  test('output delay on the way counts', () => {
    const plan = apply(
      start,
      ...direct,
      feed('box', 1, 'desk', 1),
      ...roundBySocket(2),
      set('box', 'line-out', 1, { outputDelayNs: 7_000_000 }),
      send(1, 1),
      send(2, 1),
    );
    const finding = found(plan).find((f) => f.about === 'same-sound-twice');
    expect(finding?.about === 'same-sound-twice' && finding.delaysNs[1] - finding.delaysNs[0]).toBe(7_800_000);
  });

  test('a send far away that makes it twice is found after the edit as from nothing', () => {
    const far = apply(
      planOf({
        box: modelNamed('stage-box-24'),
        desk: modelNamed('console-72'),
        hall: modelNamed('console-72'),
        amp: modelNamed('amp-8'),
      }),
      plug('box', 'mic-in', 1),
      plug('box', 'mic-in', 2),
      ...[1, 2, 3].map((n) => plug('amp', 'speaker-out', n, { kind: 'loudspeaker' })),
      feed('box', 1, 'desk', 1, 2),
      feed('desk', 1, 'hall', 1),
      feed('box', 2, 'hall', 2),
      feed('desk', 2, 'amp', 1),
      feed('hall', 5, 'amp', 2),
      send(1, 1),
      send(2, 2),
      send(1, 5, { deviceId: 'hall' }),
      send(2, 5, { deviceId: 'hall' }),
    );
    expect(found(far)).toEqual([]);
    // Nothing is fed, heard or comes from elsewhere than before: only what the bus of the first console mixes has changed.
    const edited = apply(far, send(2, 1));
    const twice = (findings: readonly Finding[]) => findings.filter((f) => f.about === 'same-sound-twice');
    expect(twice(reckon(edited).findings)).toHaveLength(1);
    expect(twice(reckon(edited, reckon(far)).findings)).toEqual(twice(reckon(edited).findings));
  });

  test('reverberation beside the dry sound is what it is for', () => {
    const wet = apply(
      start,
      ...direct,
      feed('box', 1, 'desk', 1),
      feed('desk', 9, 'reverb', 1),
      feed('reverb', 1, 'desk', 2),
      send(1, 1),
      send(1, 9),
      send(2, 1),
    );
    expect(found(wet)).toEqual([]);
  });
});

describe('dead ends', () => {
  test('an output that a loudspeaker hears and nothing feeds; a socket that nobody hears', () => {
    const plan = apply(
      start,
      plug('box', 'mic-in', 5),
      plug('amp', 'speaker-out', 1, { kind: 'loudspeaker' }),
      feed('desk', 1, 'amp', 1),
      send(9, 1),
    );
    expect(found(plan)).toMatchObject([
      { about: 'fed-by-nothing', severity: 'caution', deviceIds: ['desk'], terminalId: 'network-out', channels: [1] },
      { about: 'heard-by-nobody', severity: 'note', deviceIds: ['box'], terminalId: 'mic-in', channels: [5] },
    ]);
    expect(found(apply(plan, feed('box', 5, 'desk', 9)))).toEqual([]);
  });

  test('a console whose inside nobody has planned yet says nothing', () => {
    expect(
      found(apply(start, plug('amp', 'speaker-out', 1, { kind: 'loudspeaker' }), feed('desk', 1, 'amp', 1))),
    ).toEqual([]);
  });
});

test('a block that is patched apart is refused, and can be made whole or as the model has it', () => {
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
  const plan = apply(start, patch(3, 12));
  const finding = only(plan);
  expect(finding).toMatchObject({
    about: 'patch-block',
    severity: 'refusal',
    blockSize: 8,
    channels: [1, 2, 3, 4, 5, 6, 7, 8],
  });
  expect(waysOut(plan, finding)).toEqual(['patch-whole-block', 'patch-as-normalled']);
  // Strips are patched in blocks too, and single ones may be excepted.
  const excepted: Command = {
    kind: 'put-patch',
    patch: {
      deviceId: 'desk',
      terminalId: 'strips',
      channel: 3,
      from: { terminalId: 'mic-in', channel: 1 },
      tap: null,
    },
  };
  expect(found(apply(start, excepted))).toEqual([]);
});

test('a tap after the fader where before was asked, with the tap that is asked as the way out', () => {
  const plan = apply(start, set('desk', 'buses', 4, { asksTap: 'before-fader' }), send(1, 4, { tap: 'after-fader' }));
  const finding = only(plan);
  expect(finding).toMatchObject({ about: 'tap-too-late', asked: 'before-fader', taken: 'after-fader' });
  expect(waysOut(plan, finding)).toEqual(['set-tap']);
  // Nothing said means after everything that the strip has.
  expect(only(apply(plan, send(1, 4)))).toMatchObject({ taken: 'after-mute' });
});

test('before the fader asked for at a network output is too late where the direct out that feeds it is taken after the mute', () => {
  const direct = (tap: 'after-mute' | 'before-fader'): Command[] => [
    {
      kind: 'put-patch',
      patch: {
        ...{ deviceId: 'desk', terminalId: 'network-out', channel: 5, tap: null },
        from: { terminalId: 'direct', channel: 3 },
      },
    },
    {
      kind: 'put-patch',
      patch: {
        ...{ deviceId: 'desk', terminalId: 'direct', channel: 3, tap },
        from: { terminalId: 'strips', channel: 3 },
      },
    },
    set('desk', 'network-out', 5, { asksTap: 'before-fader' }),
  ];
  const taps = (plan: Plan) => found(plan).filter((f) => f.about === 'tap-too-late');
  const late = apply(start, ...direct('after-mute'));
  expect(taps(late)).toEqual([
    expect.objectContaining({
      asking: { deviceId: 'desk', terminalId: 'network-out', channel: 5 },
      fed: { deviceId: 'desk', terminalId: 'direct', channel: 3 },
      asked: 'before-fader',
      taken: 'after-mute',
    }),
  ]);
  expect(waysOut(late, taps(late)[0] as Finding)).toEqual(['set-tap']);
  expect(taps(apply(start, ...direct('before-fader')))).toEqual([]);
});

test('one microphone at a renderer directly and later through the console is a note; the console alone is none', () => {
  const house = planOf({
    box: modelNamed('stage-box-24'),
    desk: modelNamed('console-72'),
    renderer: modelNamed('renderer-48'),
    amp: modelNamed('amp-8'),
  });
  const throughDesk = [
    plug('box', 'mic-in', 1),
    plug('amp', 'speaker-out', 1, { kind: 'loudspeaker' }),
    feed('box', 1, 'desk', 1),
    send(1, 1),
    feed('desk', 1, 'renderer', 2),
    feed('renderer', 1, 'amp', 1),
  ];
  const twice = (plan: Plan) => found(plan).filter((f) => f.about === 'same-sound-twice');
  expect(twice(apply(house, ...throughDesk))).toEqual([]);
  const [finding] = twice(apply(house, ...throughDesk, feed('box', 1, 'renderer', 1)));
  expect(finding).toMatchObject({ severity: 'note', bus: { deviceId: 'renderer' }, source: { deviceId: 'box' } });
  const [early, late] = finding?.about === 'same-sound-twice' ? finding.delaysNs : [0, 0];
  // The bus of the console takes 0.6 ms, its way on the network another link offset of 3 ms.
  expect(late - early).toBe(3_600_000);
});

describe('analogue ends', () => {
  const heard = apply(
    start,
    feed('box', 1, 'desk', 1),
    feed('desk', 1, 'amp', 1),
    send(1, 1),
    plug('amp', 'speaker-out', 1, { kind: 'loudspeaker' }),
  );
  const codes = (plan: Plan) => found(plan).map((f) => (f.about === 'analogue-end' ? f.misfit.code : f.about));

  test('+4 dBu into an input for -10 dBV: 11.8 dB, and an attenuator of 12 dB mends it', () => {
    const plan = apply(start, plug('box', 'line-out', 4, { kind: 'line-input', levelDbu: -7.8 }));
    const finding = only(plan);
    expect(finding.about === 'analogue-end' && finding.misfit).toEqual({
      code: 'level-mismatch',
      givesDbu: 4,
      wantsDbu: -7.8,
      differenceDb: 11.8,
    });
    expect(waysOut(plan, finding)).toEqual(['attenuate']);
    const cabled = apply(start, cable('c', ['box', 'line-out', 1], ['exhibit', 'line-in', 1]));
    expect(codes(cabled)).toEqual(['clips', 'level-mismatch']);
  });

  test('a microphone that needs powering and has none; phantom power into an output', () => {
    const bare = apply(heard, plug('box', 'mic-in', 1, { powering: 'phantom' }));
    expect(only(bare)).toMatchObject({ severity: 'refusal', misfit: { code: 'no-powering' } });
    expect(waysOut(bare, only(bare))).toEqual(['set-phantom']);
    const powered = apply(
      heard,
      plug('box', 'mic-in', 1, { kind: 'line-source' }),
      set('box', 'mic-in', 1, { hasPhantom: true }),
    );
    expect(only(powered)).toMatchObject({ severity: 'refusal', misfit: { code: 'phantom-into-output' } });
    expect(waysOut(powered, only(powered))).toEqual(['set-phantom']);
  });

  test('more than full scale clips, by so much; less gain, the pad or an attenuator mend it', () => {
    const plan = apply(heard, plug('box', 'mic-in', 1, { maxLevelDbu: 0 }), set('box', 'mic-in', 1, { gainDb: 33 }));
    expect(only(plan)).toMatchObject({
      misfit: { code: 'clips', mostDbu: 0, gainDb: 33, fullScaleDbu: 24, overDb: 9 },
    });
    expect(waysOut(plan, only(plan))).toEqual(['set-gain', 'set-pad', 'attenuate']);
    const full = apply(plan, set('box', 'mic-in', 1, { gainDb: 24 }));
    expect(found(full)).toEqual([]);
  });

  test('a cable longer than it works, a load lower than the output takes, two plugs in one socket', () => {
    const far = apply(heard, plug('box', 'mic-in', 1, { metres: 130, metresMax: 100 }));
    expect(codes(far)).toEqual(['cable-too-long']);
    const low = apply(
      heard,
      plug('box', 'mic-in', 1),
      plug('amp', 'speaker-out', 1, { kind: 'loudspeaker', impedanceOhm: 2 }),
    );
    expect(only(low)).toMatchObject({ severity: 'refusal', misfit: { code: 'load-too-low', ohm: 2, ohmMin: 4 } });
    // 500 W into 4 Ω are 250 W into 8 Ω: 3 dB more than it takes for long is left for peaks.
    const speaker = (powerW: number) =>
      apply(
        heard,
        plug('box', 'mic-in', 1),
        plug('amp', 'speaker-out', 1, { kind: 'loudspeaker', impedanceOhm: 8, powerW }),
      );
    expect(codes(speaker(125))).toEqual([]);
    expect(only(speaker(120))).toMatchObject({
      severity: 'caution',
      misfit: { code: 'power-too-high', givesW: 250, takesW: 120 },
    });
    const both = apply(start, plug('desk', 'mic-in', 1), cable('c', ['box', 'line-out', 1], ['desk', 'mic-in', 1]));
    const twice = found(both).find((f) => f.about === 'socket-used-twice');
    expect(twice).toMatchObject({ severity: 'refusal', plugged: 'Bell', cableIds: ['c'] });
    expect(waysOut(both, twice as Finding)).toEqual(['unplug', 'remove-audio-cable']);
  });
});

describe('data-reduced sound', () => {
  const from = { kind: 'line-source', payload: 'data-reduced' } as const;
  const broken = (plan: Plan) => found(plan).filter((f) => f.about === 'payload-broken');
  const halves = (plan: Plan) => found(plan).filter((f) => f.about === 'payload-half');

  test('it survives the network and a recorder, and is broken where a strip would change its bits', () => {
    const plan = apply(start, plug('box', 'mic-in', 1, from), feed('box', 1, 'tape', 1), feed('box', 1, 'desk', 4));
    expect(broken(plan)).toHaveLength(1);
    expect(broken(plan)[0]).toMatchObject({
      severity: 'refusal',
      at: { deviceId: 'desk', terminalId: 'strips', channel: 4 },
      because: 'processing',
    });
    expect(broken(apply(plan, { kind: 'unsubscribe', channels: [{ deviceId: 'desk', channel: 4 }] }))).toEqual([]);
  });

  test('16-bit samples, an effect and a loudspeaker break it too', () => {
    const plan = apply(
      start,
      { kind: 'change-device', deviceId: 'box', change: { sendsEncoding: 'L16' } },
      plug('box', 'mic-in', 1, from),
      feed('box', 1, 'tape', 1),
    );
    expect(broken(plan)).toMatchObject([{ at: { deviceId: 'tape', terminalId: 'network-in' }, because: 'L16' }]);
    const others = apply(start, plug('box', 'mic-in', 1, from), feed('box', 1, 'reverb', 2), feed('box', 1, 'amp', 3));
    expect(broken(others).flatMap((f) => (f.about === 'payload-broken' ? [[f.at.deviceId, f.because]] : []))).toEqual([
      ['amp', 'analogue'],
      ['reverb', 'effect'],
    ]);
  });

  test('one channel of a pair alone is half of it: feeding the other too makes it whole', () => {
    const half = apply(start, plug('box', 'mic-in', 1, from), feed('box', 1, 'tape', 1));
    const [finding] = halves(half);
    expect(finding).toMatchObject({ severity: 'caution', at: { deviceId: 'tape', channel: 1 } });
    expect(waysOut(half, finding as Finding)).toEqual(['feed-pair']);
    expect(halves(apply(half, feed('box', 2, 'tape', 2)))).toEqual([]);
    // The other channel of the pair is 2, not 3; and it must come beside its first.
    expect(halves(apply(half, feed('box', 3, 'tape', 2)))).toHaveLength(1);
    const apart = [feed('box', 1, 'desk', 1), feed('box', 2, 'desk', 3)];
    expect(halves(apply(start, plug('box', 'mic-in', 1, from), ...apart))).toHaveLength(1);
  });
});

test.each([
  [
    'a socket that is not there',
    'terminalId',
    { kind: 'put-patch', patch: { deviceId: 'desk', terminalId: 'lines', channel: 1, from: null, tap: null } },
  ],
  [
    'a channel that is not there',
    'channel',
    { kind: 'put-patch', patch: { deviceId: 'desk', terminalId: 'strips', channel: 73, from: null, tap: null } },
  ],
  [
    'a source that cannot be patched there',
    'from.terminalId',
    {
      kind: 'put-patch',
      patch: {
        deviceId: 'desk',
        terminalId: 'line-out',
        channel: 1,
        from: { terminalId: 'mic-in', channel: 1 },
        tap: null,
      },
    },
  ],
  [
    'a tap that is not offered',
    'tap',
    {
      kind: 'put-patch',
      patch: {
        deviceId: 'desk',
        terminalId: 'strips',
        channel: 1,
        from: { terminalId: 'mic-in', channel: 1 },
        tap: 'after-fader',
      },
    },
  ],
  ['a format that a socket cannot be set to', 'format', set('box', 'mic-in', 1, { format: 'MADI' })],
  ['more gain than there is', 'gainDb', set('box', 'mic-in', 1, { gainDb: 61 })],
  ['phantom power where there is none', 'hasPhantom', set('amp', 'line-in', 1, { hasPhantom: true })],
  ['a loudspeaker in an input', 'kind', plug('box', 'mic-in', 1, { kind: 'loudspeaker' })],
  ['a send to what is no bus', 'fromTerminalId', send(1, 1, { terminalId: 'strips' })],
  ['a cable from an input', 'from.terminalId', cable('c', ['box', 'mic-in', 1], ['desk', 'mic-in', 1])],
  [
    'a cable in a format of neither end',
    'format',
    { ...(cable('c', ['desk', 'madi-out', 1], ['desk', 'madi-in', 1]) as object) } as Command,
  ],
])('%s is refused with its place, and nothing changes', (_, field, command) => {
  expect(() => apply(start, command as Command)).toThrow(new RegExp(`"field":"[^"]*${field}"`));
});
