import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { readPlanFile } from '../core/formats/read-plan-file';
import { skerryPoint } from './skerry-point';

/** Writes what the stand-ins need to play Skerry Point: `write-demo FOLDER`. */

/** Two boxes that are on the network although the plan does not know them. */
const STRANGERS = [
  {
    id: 'visiting-recorder',
    name: 'Visiting recorder',
    serial: 'SK-9001',
    interfaces: [{ name: 'A', address: '127.71.36.250' }],
    legs: [{ name: 'A', address: '127.71.36.250' }],
    channelsReceive: 16,
    channelsSend: 16,
    streamsReceive: 4,
    streamsSend: 4,
    channelsPerStream: 8,
    rateHz: 48_000,
    encoding: 'L24',
    packetTimeUs: 1000,
    ratesHz: [48_000],
  },
  {
    id: 'spare-dome-amp',
    name: 'Spare dome amp',
    serial: 'SK-9002',
    interfaces: [{ name: 'A', address: '127.71.52.98' }],
    legs: [{ name: 'A', address: '127.71.52.98' }],
    channelsReceive: 8,
    channelsSend: 0,
    streamsReceive: 4,
    streamsSend: 0,
    channelsPerStream: 8,
    rateHz: 48_000,
    encoding: 'L24',
    packetTimeUs: 1000,
    ratesHz: [48_000],
  },
];

/** Two that no registry knows: they only announce what they send. One came by boat, at a rate of its own. */
const ANNOUNCERS = [
  {
    id: 'boat-player',
    name: 'Boat player',
    address: '127.71.80.40',
    format: { encoding: 'L24', rateHz: 44_100, packetTimeUs: 1000 },
    streams: [{ channels: 8, group: '239.71.200.1' }],
  },
  {
    id: 'visiting-player',
    name: 'Visiting player',
    address: '127.71.52.97',
    format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
    streams: [
      { channels: 8, group: '239.71.201.1' },
      { channels: 2, group: '239.71.201.2' },
    ],
  },
];

/** Where the field is not as Skerry Point has it: a cable that came up at 100 Mb/s, an amplifier in another socket, a strip that still has the talkback of the sound
 * check, and pack 7 that runs low before the evening show. */
const DEVIATIONS = {
  slowPorts: [{ switchId: 'south-edge-a', port: 'Port 4', bitsPerSecond: 100_000_000 }],
  plugged: [{ deviceId: 'dome-amp-3', interface: 'B', chassisId: 'SK-0008', portId: 'Port 20' }],
  batteries: [{ deviceId: 'wave-wireless-2', channel: 3, percent: 14 }],
  patched: [
    { deviceId: 'loft-console', terminalId: 'strips', channel: 24, from: { terminalId: 'mic-in', channel: 8 } },
  ],
};

const folder = process.argv[2];
if (folder === undefined) throw new Error('write-demo FOLDER');
mkdirSync(folder, { recursive: true });
const text = JSON.stringify(skerryPoint());
const checked = readPlanFile(text);
if (!checked.ok) throw new Error(JSON.stringify(checked.problems, null, 2));
writeFileSync(join(folder, 'demo-plan.json'), text);
writeFileSync(join(folder, 'demo-strangers.json'), JSON.stringify(STRANGERS));
writeFileSync(join(folder, 'demo-announcers.json'), JSON.stringify(ANNOUNCERS));
writeFileSync(join(folder, 'demo-deviations.json'), JSON.stringify(DEVIATIONS));
