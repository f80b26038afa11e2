import { PLAIN_LEVEL, PLAIN_TERMINAL, TAPS, type LevelFacts, type StatedTerminal } from '../signal/terminal-shape';

/** What the models of the catalogue have beside the network. Made up, of the size that real devices of the kind have. */

type Rest = Partial<Omit<StatedTerminal, 'id' | 'name' | 'kind' | 'direction' | 'channels'>>;

const terminal =
  (kind: StatedTerminal['kind'], direction: StatedTerminal['direction']) =>
  (id: string, name: string, channels: number, rest: Rest = {}): StatedTerminal => ({
    ...PLAIN_TERMINAL,
    id,
    name,
    kind,
    direction,
    channels,
    ...rest,
  });

const socketIn = terminal('connector', 'in');
const socketOut = terminal('connector', 'out');
const linkIn = terminal('link', 'in');
const linkOut = terminal('link', 'out');
const strips = terminal('strip', 'inside');
const buses = terminal('bus', 'inside');
const played = terminal('computer', 'in');
const recorded = terminal('computer', 'out');
/** How network channels are led: as many as the model has. */
const networkOut = (rest: Rest) => terminal('network', 'out')('network-out', 'Network out', 1, rest);
const slotsOut = (rest: Rest) => terminal('slots', 'out')('slots-out', 'Slots out', 1, rest);

const level = (facts: Partial<LevelFacts>): LevelFacts => ({ ...PLAIN_LEVEL, ...facts });
/** A preamplifier: 0 to 60 dB in steps of 1 dB, a pad of 20 dB, 48 V, and +24 dBu as full scale at 0 dB. */
const PREAMPLIFIER = level({
  gainMinDb: 0,
  gainMaxDb: 60,
  gainStepDb: 1,
  padDb: 20,
  hasPhantom: true,
  nominalDbu: 4,
  fullScaleDbu: 24,
  impedanceOhm: 5000,
});
const LINE = level({ nominalDbu: 4, fullScaleDbu: 24, impedanceOhm: 10_000 });
/** -10 dBV nominal, 2 V at full scale, one side of the cable grounded. */
const CONSUMER = level({ nominalDbu: -7.8, fullScaleDbu: 8.2, impedanceOhm: 47_000, isBalanced: false });
const amplified = (powerW: number, loadMinOhm: number) =>
  level({ fullScaleDbu: 35.2, isBalanced: false, powerW, loadMinOhm });

const CONVERTER_NS = 400_000;
const MIC: Rest = {
  connector: 'XLR',
  formats: ['microphone', 'line'],
  level: PREAMPLIFIER,
  delayNs: CONVERTER_NS,
};
const LINE_OUT: Rest = { connector: 'XLR', formats: ['line'], level: LINE, delayNs: CONVERTER_NS };
/** MIDI and serial data travel in the user bits of MADI. */
const MADI: Rest = { connector: 'BNC', formats: ['MADI'], carries: ['MIDI', 'serial'] };

/** Of a converter with a clock of its own for each side. */
const CONVERTED_MADI: Rest = { ...MADI, isOtherSide: true };

const recorder = (tracks: number, blockSize = 1): readonly StatedTerminal[] => [
  recorded('tracks', 'Track', tracks, { normalledTo: 'network-in', patchFrom: ['network-in'], blockSize }),
  played('playback', 'Playback', tracks),
  networkOut({ normalledTo: 'playback' }),
];

export const MODEL_TERMINALS: Readonly<Record<string, readonly StatedTerminal[]>> = {
  'console-72': [
    socketIn('mic-in', 'Mic in', 8, MIC),
    linkIn('madi-in', 'MADI in', 64, MADI),
    strips('strips', 'Strip', 72, {
      normalledTo: 'network-in',
      patchFrom: ['network-in', 'mic-in', 'madi-in'],
      blockSize: 8,
      hasExceptions: true,
      taps: [...TAPS],
    }),
    buses('buses', 'Bus', 80, {
      sendsFrom: ['strips'],
      taps: ['before-fader', 'after-fader', 'after-mute'],
      delayNs: 600_000,
    }),
    terminal('direct', 'inside')('direct', 'Direct out', 72, { normalledTo: 'strips', patchFrom: ['strips'] }),
    terminal('monitor', 'inside')('monitor', 'Monitor', 2, { patchFrom: ['buses', 'strips', 'direct'] }),
    networkOut({ normalledTo: 'buses', patchFrom: ['buses', 'direct', 'monitor', 'mic-in'] }),
    socketOut('line-out', 'Line out', 8, { ...LINE_OUT, patchFrom: ['buses', 'direct', 'monitor'] }),
    socketOut('phones', 'Phones', 2, { connector: 'jack', formats: ['headphones'], normalledTo: 'monitor' }),
    linkOut('madi-out', 'MADI out', 64, { ...MADI, patchFrom: ['buses', 'direct'] }),
  ],
  'renderer-48': [
    strips('objects', 'Object', 48, { normalledTo: 'network-in', patchFrom: ['network-in'] }),
    buses('speakers', 'Loudspeaker', 40, { mixes: 'objects', delayNs: 5_000_000 }),
    networkOut({ normalledTo: 'speakers', patchFrom: ['speakers'] }),
  ],
  'reverb-16': [networkOut({ normalledTo: 'network-in', isEffect: true, delayNs: 2_000_000 })],
  'amp-8': [
    socketIn('line-in', 'Line in', 8, { ...LINE_OUT, level: LINE }),
    socketOut('speaker-out', 'Loudspeaker', 8, {
      connector: 'terminal block',
      formats: ['loudspeaker'],
      normalledTo: 'network-in',
      patchFrom: ['network-in', 'line-in'],
      level: amplified(500, 4),
      delayNs: 800_000,
    }),
  ],
  'stage-box-24': [
    socketIn('mic-in', 'Mic in', 24, MIC),
    networkOut({ normalledTo: 'mic-in', patchFrom: ['mic-in'] }),
    socketOut('line-out', 'Line out', 12, {
      ...LINE_OUT,
      normalledTo: 'network-in',
      patchFrom: ['network-in', 'mic-in'],
    }),
  ],
  'wireless-4': [
    terminal('radio', 'in')('radio', 'Radio', 4, { delayNs: 2_500_000 }),
    networkOut({ normalledTo: 'radio' }),
    socketOut('line-out', 'Line out', 4, { ...LINE_OUT, normalledTo: 'radio' }),
  ],
  'endpoint-2': [
    socketIn('line-in', 'Line in', 2, {
      connector: 'phono',
      formats: ['line'],
      level: CONSUMER,
      delayNs: CONVERTER_NS,
    }),
    networkOut({ normalledTo: 'line-in' }),
    socketOut('speaker-out', 'Loudspeaker', 2, {
      connector: 'binding posts',
      formats: ['loudspeaker'],
      normalledTo: 'network-in',
      level: { ...amplified(10, 8), fullScaleDbu: 21.3 },
      delayNs: 800_000,
    }),
  ],
  'player-48': [
    played('player', 'Player', 48),
    networkOut({ normalledTo: 'player', patchFrom: ['player'] }),
    recorded('capture', 'Capture', 8, { normalledTo: 'network-in', patchFrom: ['network-in'] }),
  ],
  'recorder-96': recorder(96),
  'recorder-96-blocks': recorder(96, 8),
  'recorder-16': recorder(16),
  'converter-64': [
    linkIn('madi-in', 'MADI in', 64, CONVERTED_MADI),
    socketIn('aes3-in', 'AES3 in', 8, {
      connector: 'XLR',
      formats: ['AES3'],
      carries: ['timecode'],
      isOtherSide: true,
    }),
    networkOut({ normalledTo: 'madi-in', patchFrom: ['madi-in', 'aes3-in'], delayNs: 1_000_000 }),
    linkOut('madi-out', 'MADI out', 64, {
      ...CONVERTED_MADI,
      normalledTo: 'network-in',
      patchFrom: ['network-in'],
      delayNs: 1_000_000,
    }),
    socketOut('aes3-out', 'AES3 out', 8, {
      connector: 'XLR',
      formats: ['AES3'],
      isOtherSide: true,
      patchFrom: ['network-in'],
    }),
  ],
  'converter-32': [
    linkIn('madi-in', 'MADI in', 32, CONVERTED_MADI),
    networkOut({ normalledTo: 'madi-in', delayNs: 1_000_000 }),
    linkOut('madi-out', 'MADI out', 32, { ...CONVERTED_MADI, normalledTo: 'network-in', delayNs: 1_000_000 }),
  ],
  'expander-8': [
    linkIn('adat-in', 'ADAT in', 8, { connector: 'optical', formats: ['ADAT'], isOtherSide: true }),
    networkOut({ normalledTo: 'adat-in' }),
    linkOut('adat-out', 'ADAT out', 8, {
      connector: 'optical',
      formats: ['ADAT'],
      isOtherSide: true,
      normalledTo: 'network-in',
    }),
  ],
  'embedder-16': [
    linkIn('sdi-in', 'SDI in', 16, { connector: 'BNC', formats: ['SDI'], carries: ['timecode'] }),
    networkOut({ normalledTo: 'sdi-in' }),
    linkOut('sdi-out', 'SDI out', 16, {
      connector: 'BNC',
      formats: ['SDI'],
      normalledTo: 'network-in',
      carries: ['timecode'],
    }),
  ],
  'intercom-1': [
    socketIn('microphone', 'Microphone', 1, { formats: ['microphone'], delayNs: CONVERTER_NS }),
    networkOut({ normalledTo: 'microphone' }),
    socketOut('speaker', 'Loudspeaker', 1, {
      formats: ['loudspeaker'],
      normalledTo: 'network-in',
      delayNs: CONVERTER_NS,
    }),
  ],
  'personal-mixer-16': [
    strips('places', 'Place', 16, { normalledTo: 'network-in', patchFrom: ['network-in'] }),
    buses('mix', 'Mix', 2, { mixes: 'places', delayNs: 400_000 }),
    socketOut('phones', 'Phones', 2, { connector: 'jack', formats: ['headphones'], normalledTo: 'mix' }),
  ],
  'madi-rack-28': [
    socketIn('mic-in', 'Mic in', 28, MIC),
    linkOut('madi-out', 'MADI out', 28, { ...MADI, normalledTo: 'mic-in', patchFrom: ['mic-in'] }),
    linkIn('madi-in', 'MADI in', 28, MADI),
    socketOut('line-out', 'Line out', 8, { ...LINE_OUT, normalledTo: 'madi-in', patchFrom: ['madi-in'] }),
  ],
  'slot-unit-4': [
    socketIn('line-in', 'Line in', 4, { connector: 'terminal block', formats: ['line'], level: LINE }),
    slotsOut({ normalledTo: 'line-in' }),
    socketOut('line-out', 'Line out', 4, {
      connector: 'terminal block',
      formats: ['line'],
      level: LINE,
      normalledTo: 'slots-in',
    }),
  ],
  'slot-unit-in-8': [
    socketIn('line-in', 'Line in', 8, { connector: 'terminal block', formats: ['line'], level: LINE }),
    slotsOut({ normalledTo: 'line-in' }),
  ],
  'slot-unit-out-8': [
    socketOut('line-out', 'Line out', 8, {
      connector: 'terminal block',
      formats: ['line'],
      level: LINE,
      normalledTo: 'slots-in',
    }),
  ],
};
