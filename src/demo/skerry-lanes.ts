import type { Side } from '../core/plan/labels-table';
import type { GroupChoice } from '../core/streams/group-choices-table';
import { STAGE_BOX_RUNS } from './skerry-signals';

/** What hears what at Skerry Point, and what the channels are called. */

export const range = (count: number) => Array.from({ length: count }, (_, n) => n + 1);

/** Runs of lanes: from the first sender channel to the first receiver channel, so many in step. */
type Run = readonly [sender: string, firstSent: number, receiver: string, firstReceived: number, count: number];

export const RUNS: Run[] = [
  ['wave-stage-box', 1, 'loft-console', 1, 24],
  ...range(3).map((n): Run => [`wave-wireless-${n}`, 1, 'loft-console', 21 + n * 4, 4]),
  ['show-player', 25, 'loft-console', 41, 8],
  ['loft-console', 1, 'dome-renderer', 1, 24],
  ['show-player', 1, 'dome-renderer', 25, 24],
  // The fifth amplifier of the Dome has the zenith ring; the sixth is the spare.
  ...range(5).map((n): Run => ['dome-renderer', n * 8 - 7, `dome-amp-${n}`, 1, 8]),
  ['wave-stage-box', 1, 'tank-mixer', 1, 16],
  ['loft-console', 33, 'wave-amp-1', 1, 8],
  ['loft-console', 41, 'wave-amp-2', 1, 8],
  // Each exhibit hears the shared announcement and one track of its own: one stream and fourteen more.
  ...range(14).flatMap((n): Run[] => [
    ['show-player', 33, `exhibit-${n}`, 1, 1],
    ['show-player', 33 + n, `exhibit-${n}`, 2, 1],
  ]),
  ['wave-stage-box', 1, 'archive-recorder', 1, 24],
  ['loft-console', 1, 'archive-recorder', 33, 32],
  ['loft-console', 49, 'north-processor', 1, 8],
  ['north-processor', 1, 'south-processor', 1, 8],
  ['south-processor', 1, 'loft-console', 49, 8],
  ['loft-console', 57, 'tank-reverb', 1, 8],
  ['tank-reverb', 1, 'loft-console', 57, 8],
  ['rack-converter', 1, 'show-player', 1, 8],
  ['loft-console', 65, 'picture-embedder', 1, 2],
  ['loft-console', 67, 'yard-converter', 1, 2],
  ...range(5).flatMap((n): Run[] => [
    ['loft-console', 72, `intercom-${n}`, 1, 1],
    [`intercom-${n}`, 1, 'loft-console', 64 + n, 1],
  ]),
  ...STAGE_BOX_RUNS,
  ['lab-stage-box', 1, 'lab-recorder', 1, 12],
  // PLANTED: the Lab recorder runs at 96 kHz and is fed from the console at 48 kHz, with no SRC between.
  ['loft-console', 1, 'lab-recorder', 13, 2],
];

/** Labels by device and side: a pattern with the channel's number from `from` on, or the words themselves. */
export const LABELS: readonly (readonly [device: string, side: Side, first: number, labels: readonly string[]])[] = [
  ['loft-console', 'send', 1, range(32).map((n) => `Dome bus ${n}`)],
  ['loft-console', 'send', 33, range(8).map((n) => `Wave array ${n}`)],
  ['loft-console', 'send', 41, range(8).map((n) => `Wave fill ${n}`)],
  ['loft-console', 'send', 49, range(8).map((n) => `Lobby zone ${n}`)],
  ['loft-console', 'send', 57, range(8).map((n) => `Tank send ${n}`)],
  [
    'loft-console',
    'send',
    65,
    ['Picture left', 'Picture right', 'Yard left', 'Yard right', 'Boat left', 'Boat right', 'Narration', 'Caller talk'],
  ],
  [
    'wave-stage-box',
    'send',
    1,
    [
      'Tide bell',
      'Hydrophone near',
      'Hydrophone far',
      'Presenter desk',
      ...range(12).map((n) => `Tank mic ${n}`),
      ...range(8).map((n) => `Hall line ${n}`),
    ],
  ],
  ...range(3).map(
    (n) => [`wave-wireless-${n}`, 'send', 1, range(4).map((k) => `Presenter ${(n - 1) * 4 + k}`)] as const,
  ),
  ['show-player', 'send', 1, range(24).map((n) => `Dome track ${n}`)],
  ['show-player', 'send', 25, range(8).map((n) => `Cue track ${n}`)],
  ['show-player', 'send', 33, ['Announcement', ...range(14).map((n) => `Exhibit track ${n}`)]],
  ['dome-renderer', 'send', 1, range(40).map((n) => `Dome speaker ${n}`)],
  ['lab-stage-box', 'send', 1, range(12).map((n) => `Hydrophone ${n}`)],
  ...['North arc', 'East arc', 'South arc', 'West arc', 'Zenith'].map(
    (arc, n) => [`dome-amp-${n + 1}`, 'receive', 1, range(8).map((k) => `${arc} ${k}`)] as const,
  ),
  ['wave-amp-1', 'receive', 1, range(8).map((n) => `Array ${n}`)],
  ['wave-amp-2', 'receive', 1, range(8).map((n) => `Fill ${n}`)],
  ['loft-console', 'receive', 1, range(24).map((n) => `Stage in ${n}`)],
  ['loft-console', 'receive', 25, range(12).map((n) => `Radio ${n}`)],
  ['loft-console', 'receive', 41, range(8).map((n) => `Cue return ${n}`)],
  ['yard-converter', 'receive', 1, ['Deck left', 'Deck right']],
  ['quay-bell-unit', 'send', 1, ['Ferry bell', 'Quay mic', 'Tide gauge', 'Fog horn']],
  ['yard-stage-unit', 'send', 1, range(8).map((n) => `Lantern mic ${n}`)],
  ['gallery-loop-unit', 'send', 1, ['Loop mic', 'Desk call', 'Model tank', 'Spare line']],
  ...range(14).map((n) => [`exhibit-${n}`, 'receive', 1, ['Announcements', 'Own track']] as const),
];

/** PLANTED: two groups chosen by hand that differ only in bits which the Ethernet address leaves out (239.71 and 239.199). */
export const GROUPS_BY_HAND: GroupChoice[] = [
  { senderDeviceId: 'dome-renderer', streamNumber: 1, groupA: '239.71.9.20', groupB: null },
  { senderDeviceId: 'north-processor', streamNumber: 1, groupA: '239.199.9.20', groupB: null },
];
