import type { CoherenceGroup } from '../core/delay/coherence-groups-table';
import type { BusSend } from '../core/patch/bus-sends-table';
import type { Patch } from '../core/patch/patches-table';
import type { Substitution } from '../core/patch/substitutions-table';
import type { AudioCable } from '../core/signal/audio-cables-table';
import { PLAIN_CHANNEL, type ChannelSettings } from '../core/signal/channel-settings-table';
import { PLAIN_PLUGGED, type PluggedIn } from '../core/signal/plugged-in-table';

/** What is plugged in at Skerry Point, and how its console leads the sound on. Faults are planted, marked PLANTED; the rest is clean. */

const range = (count: number) => Array.from({ length: count }, (_, n) => n + 1);

const plug = (
  deviceId: string,
  terminalId: string,
  channel: number,
  name: string,
  kind: PluggedIn['kind'],
  rest: Partial<PluggedIn> = {},
): PluggedIn => ({ ...PLAIN_PLUGGED, deviceId, terminalId, channel, name, kind, ...rest });

const inStageBox = (channel: number, name: string, kind: PluggedIn['kind'], rest: Partial<PluggedIn> = {}) =>
  plug('wave-stage-box', 'mic-in', channel, name, kind, { placeId: 'wave-hall', plug: 'XLR', ...rest });

/** -45 dBV, with a supply of its own: `dBu = dBV + 2.2`. */
const HYDROPHONE: Partial<PluggedIn> = {
  levelDbu: -42.8,
  maxLevelDbu: -18,
  powering: 'own',
  metres: 40,
  metresMax: 150,
};
const MICROPHONE: Partial<PluggedIn> = {
  levelDbu: -46,
  maxLevelDbu: -10,
  powering: 'phantom',
  impedanceOhm: 150,
  metres: 18,
  metresMax: 100,
};
const LOUDSPEAKER: Partial<PluggedIn> = { impedanceOhm: 8, powerW: 300, metres: 22 };

/**
 * Loudspeakers of the Dome stand in four arcs of eight, on a ring of eleven metres whose height rises from the arc's ends to its
 * middle, and in a zenith ring of eight above them.
 */
function domeSpeakers(): PluggedIn[] {
  const speaker = (amp: number, k: number, name: string, radius: number, degrees: number, z: number) => {
    const round = (metres: number) => Math.round(metres * 100) / 100 || 0;
    const angle = (degrees * Math.PI) / 180;
    const position = { x: round(radius * Math.sin(angle)), y: round(radius * Math.cos(angle)), z: round(z) };
    return plug(`dome-amp-${amp}`, 'speaker-out', k, `${name} ${k}`, 'loudspeaker', {
      ...LOUDSPEAKER,
      placeId: 'dome',
      position,
    });
  };
  const arcs = ['North arc', 'East arc', 'South arc', 'West arc'].flatMap((arc, n) =>
    range(8).map((k) => {
      const height = 3 + 2.5 * Math.sin(((k - 1) / 7) * Math.PI);
      return speaker(n + 1, k, arc, 11, n * 90 + (k - 4.5) * 11, height);
    }),
  );
  return [...arcs, ...range(8).map((k) => speaker(5, k, 'Zenith', 4, k * 45, 10))];
}

export const PLUGGED_IN: readonly PluggedIn[] = [
  inStageBox(1, 'Tide bell', 'microphone', MICROPHONE),
  inStageBox(2, 'Hydrophone near', 'microphone', HYDROPHONE),
  inStageBox(3, 'Hydrophone far', 'microphone', { ...HYDROPHONE, metres: 120 }),
  inStageBox(4, 'Presenter desk', 'microphone', MICROPHONE),
  ...range(8).map((n) => inStageBox(4 + n, `Tank mic ${n}`, 'microphone', MICROPHONE)),
  ...range(2).map((n) =>
    inStageBox(16 + n, `Wave gauge ${n}`, 'line-source', {
      levelDbu: 4,
      maxLevelDbu: 18,
      impedanceOhm: 100,
      metres: 12,
    }),
  ),
  ...range(3).flatMap((box) =>
    range(4).map((n) =>
      plug(`wave-wireless-${box}`, 'radio', n, `Presenter ${(box - 1) * 4 + n}`, 'radio-pack', {
        powering: 'own',
        placeId: 'wave-hall',
      }),
    ),
  ),
  plug('wave-stage-box', 'line-out', 3, 'Hearing loop', 'hearing-loop', {
    levelDbu: 4,
    placeId: 'wave-hall',
    plug: 'XLR',
    metres: 15,
  }),
  // PLANTED: the stage box gives +4 dBu, and the wave machine listens for -10 dBV.
  plug('wave-stage-box', 'line-out', 4, 'Wave machine cue', 'line-input', {
    levelDbu: -7.8,
    placeId: 'wave-hall',
    plug: 'jack',
    metres: 9,
    adapter: 'XLR to jack',
  }),
  ...range(2).flatMap((amp) =>
    range(8).map((n) =>
      plug(`wave-amp-${amp}`, 'speaker-out', n, `${amp === 1 ? 'Array' : 'Fill'} loudspeaker ${n}`, 'loudspeaker', {
        ...LOUDSPEAKER,
        placeId: 'wave-hall',
      }),
    ),
  ),
  ...domeSpeakers(),
  ...range(14).flatMap((n) => {
    const id = `exhibit-${n}`;
    const rest = { impedanceOhm: 8, powerW: 20, metres: 3, placeId: 'tide-gallery' };
    return ['left', 'right'].map((side, k) =>
      plug(id, 'speaker-out', k + 1, `Exhibit ${String(n).padStart(2, '0')} ${side}`, 'loudspeaker', rest),
    );
  }),
  ...range(5).flatMap((n) => [
    plug(`intercom-${n}`, 'microphone', 1, `Call ${n} microphone`, 'microphone', { powering: 'own', placeId: 'pier' }),
    plug(`intercom-${n}`, 'speaker', 1, `Call ${n} loudspeaker`, 'loudspeaker', { placeId: 'pier' }),
  ]),
  ...range(12).map((n) =>
    plug('lab-stage-box', 'mic-in', n, `Hydrophone ${n}`, 'microphone', {
      ...HYDROPHONE,
      placeId: 'sound-lab',
      plug: 'XLR',
    }),
  ),
  // The Lab runs at 96 kHz; its AES3 comes to the loft at 48 kHz, through the converter's own sample-rate converter.
  ...range(8).map((n) =>
    plug('rack-converter', 'aes3-in', n, `Lab monitor ${n}`, 'line-source', {
      powering: 'own',
      placeId: 'sound-lab',
      plug: 'XLR',
      metres: 60,
    }),
  ),
  plug('loft-console', 'mic-in', 1, 'Loft talkback', 'microphone', {
    ...MICROPHONE,
    metres: 2,
    placeId: 'control-loft',
    plug: 'XLR',
  }),
  ...range(8).map((n) =>
    plug('loft-console', 'line-out', n, `Lobby loudspeaker ${n}`, 'line-input', {
      levelDbu: 4,
      maxLevelDbu: 24,
      placeId: 'control-loft',
      plug: 'XLR',
      metres: 35,
    }),
  ),
  ...['left', 'right'].flatMap((side, n) => [
    plug('tank-mixer', 'phones', n + 1, `Presenter's headphones ${side}`, 'headphones', {
      placeId: 'wave-hall',
      plug: 'jack',
    }),
  ]),
  ...['left', 'right'].map((side, n) =>
    plug('loft-console', 'phones', n + 1, `Operator's headphones ${side}`, 'headphones', {
      placeId: 'control-loft',
      plug: 'jack',
    }),
  ),
];

const set = (
  deviceId: string,
  terminalId: string,
  channel: number,
  rest: Partial<ChannelSettings>,
): ChannelSettings => ({
  ...PLAIN_CHANNEL,
  deviceId,
  terminalId,
  channel,
  ...rest,
});

export const CHANNEL_SETTINGS: readonly ChannelSettings[] = [
  ...[1, 4, ...range(8).map((n) => 4 + n)].map((n) =>
    set('wave-stage-box', 'mic-in', n, { gainDb: 32, hasPhantom: true }),
  ),
  ...[2, 3].map((n) => set('wave-stage-box', 'mic-in', n, { gainDb: 38 })),
  ...range(2).map((n) => set('wave-stage-box', 'mic-in', 16 + n, { format: 'line' as const, gainDb: 0 })),
  ...range(12).map((n) => set('lab-stage-box', 'mic-in', n, { gainDb: 38 })),
  set('loft-console', 'mic-in', 1, { gainDb: 30, hasPhantom: true }),
  // The fill stands 14.5 m behind the array.
  ...range(8).map((n) =>
    set('wave-amp-2', 'speaker-out', n, {
      outputDelayNs: 42_400_000,
      distanceMetres: 14.5,
      measuredOn: '2026-10-02',
      airCelsius: 18,
    }),
  ),
  // What the crew and the narration hear must not follow the faders.
  set('loft-console', 'buses', 71, { label: 'Narration', asksTap: 'before-fader' }),
  set('loft-console', 'buses', 72, { label: 'Caller talk', asksTap: 'before-fader' }),
  ...['left', 'right'].map((side, n) => set('loft-console', 'buses', 73 + n, { label: `Operator ${side}` })),
  set('loft-console', 'strips', 72, { label: 'Talkback' }),
];

/** MADI on coax, both ways: the only way aboard the boat. */
const boatMadi = (id: string, name: string, from: string, to: string): AudioCable => ({
  id,
  name,
  from: { deviceId: from, terminalId: 'madi-out', channel: 1 },
  to: { deviceId: to, terminalId: 'madi-in', channel: 1 },
  channels: 28,
  format: 'MADI',
  kind: 'coax',
  grade: null,
  metres: 60,
  fromPlug: 'BNC',
  toPlug: 'BNC',
  adapter: null,
  attenuationDb: null,
});

const ARRAY_SPARES: readonly AudioCable[] = range(2).map((n) => ({
  id: `array-spare-${n}`,
  name: `Array spare ${n}`,
  from: { deviceId: 'wave-stage-box', terminalId: 'line-out', channel: n },
  to: { deviceId: `wave-amp-${n}`, terminalId: 'line-in', channel: 1 },
  channels: 1,
  format: 'line',
  kind: 'balanced',
  grade: null,
  metres: 24,
  fromPlug: 'XLR',
  toPlug: 'XLR',
  adapter: null,
  attenuationDb: null,
}));

export const AUDIO_CABLES: readonly AudioCable[] = [
  ...ARRAY_SPARES,
  boatMadi('boat-to-yard', 'Boat to yard', 'boat-rack', 'yard-converter'),
  boatMadi('yard-to-boat', 'Yard to boat', 'yard-converter', 'boat-rack'),
];

const console = 'loft-console';

export const PATCHES: readonly Patch[] = [
  // An exception in the last block of strips: the talkback comes from the console's own socket.
  { deviceId: console, terminalId: 'strips', channel: 72, from: { terminalId: 'mic-in', channel: 1 }, tap: null },
  ...range(8).map((n) => ({
    deviceId: 'rack-converter',
    terminalId: 'network-out',
    channel: n,
    from: { terminalId: 'aes3-in', channel: n },
    tap: null,
  })),
  // What comes back from the processing of the lobby's zones leaves by the console's own sockets.
  ...range(8).map((n) => ({
    deviceId: console,
    terminalId: 'line-out',
    channel: n,
    from: { terminalId: 'direct', channel: 48 + n },
    tap: null,
  })),
  ...range(2).map((n) => ({
    deviceId: console,
    terminalId: 'monitor',
    channel: n,
    from: { terminalId: 'buses', channel: 72 + n },
    tap: 'after-mute' as const,
  })),
];

const send = (strip: number, bus: number, rest: Partial<BusSend> = {}): BusSend => ({
  deviceId: console,
  terminalId: 'buses',
  channel: bus,
  fromTerminalId: 'strips',
  fromChannel: strip,
  tap: null,
  isOn: true,
  levelDb: null,
  ...rest,
});

export const BUS_SENDS: readonly BusSend[] = [
  // Dome buses: what the stage box brings, twice over, then the presenters.
  ...range(24).map((bus) => send(((bus - 1) % 12) + 1, bus)),
  ...range(8).map((n) => send(24 + n, 24 + n)),
  // Wave array and fill: presenters, and the cues of the show.
  ...range(8).map((n) => send(24 + n, 32 + n)),
  ...range(4).flatMap((n) => [send(32 + n, 33), send(32 + n, 34)]),
  ...range(8).map((n) => send(40 + n, 40 + n)),
  // The lobby hears the fourth cue track in every zone.
  ...range(8).map((n) => send(44, 48 + n)),
  // Reverberation: the tank microphones go there, and what comes back goes to the first Dome buses.
  ...range(8).map((n) => send(4 + n, 56 + n)),
  ...range(8).map((n) => send(56 + n, n)),
  // PLANTED: the first return strip also reaches the send that it comes back from.
  send(57, 57, { tap: 'after-fader' }),
  send(41, 65),
  send(42, 66),
  send(25, 67),
  send(41, 68),
  send(43, 71, { tap: 'before-fader' }),
  send(72, 72, { tap: 'before-fader' }),
  // The operator hears the callers, the wave gauges, what the lobby gets back from its processing, and the presenters before their faders.
  ...range(2).flatMap((side) => [
    ...range(5).map((n) => send(64 + n, 72 + side)),
    ...range(2).map((n) => send(16 + n, 72 + side)),
    ...range(8).map((n) => send(48 + n, 72 + side)),
    ...range(12).map((n) => send(24 + n, 72 + side, { tap: 'before-fader' })),
  ]),
];

/** Lanes to the sockets of the stage box: the array's spare way, the hearing loop, the wave machine's cue. */
export const STAGE_BOX_RUNS = [
  ['loft-console', 33, 'wave-stage-box', 1, 2],
  ['loft-console', 41, 'wave-stage-box', 3, 1],
  ['loft-console', 71, 'wave-stage-box', 4, 1],
] as const;

/** Kept for the days on which they are needed; neither is in force. */
export const SUBSTITUTIONS: readonly Substitution[] = [
  {
    id: 'captains-welcome',
    name: "Captain's welcome, recorded",
    why: 'On Tuesdays the ferry captain is at sea: the narration on cue track 5 takes the place of the radio pack.',
    by: null,
    since: null,
    isKept: true,
    strips: [
      {
        deviceId: console,
        terminalId: 'strips',
        channel: 25,
        fromTerminalId: 'network-in',
        fromChannel: 45,
        was: null,
      },
    ],
    lanes: [],
  },
  {
    id: 'dress-run',
    name: 'Dress run',
    why: 'Rehearsal from recording: the archive recorder plays what the stage box and the radio packs gave.',
    by: null,
    since: null,
    isKept: true,
    strips: [],
    lanes: range(36).map((n) => ({
      receiverDeviceId: console,
      receiverChannel: n,
      senderDeviceId: 'archive-recorder',
      senderChannel: n,
      wasSenderDeviceId: null,
      wasSenderChannel: null,
    })),
  },
];

/** The ring of the Dome has to sound as one. */
export const COHERENCE_GROUPS: readonly CoherenceGroup[] = [
  {
    id: 'dome-ring',
    name: 'Dome ring',
    members: range(4).flatMap((amp) =>
      range(8).map((channel) => ({ deviceId: `dome-amp-${amp}`, terminalId: 'speaker-out', channel })),
    ),
  },
];
