import { applyCommands } from '@/core/plan/apply-commands';
import { fixesFor } from '@/core/findings/rules';
import type { About, Finding, FindingAbout } from '@/core/findings/finding';
import { planOfFile } from '@/core/formats/plan-file';
import { apply } from '@/core/plan/test-plan';
import { reckon } from '@/core/reckon/reckon';
import { skerryPoint } from '@/demo/skerry-point';
import { areaOf } from '@/core/findings/areas';
import { STAGES } from '@/ui/frame/stages';
import { findingTitle, fixWords } from './finding-words';

/**
 * One finding of every kind in one plan, with what a rule would say of it: a kind that is missing here does not compile. That rules find them
 * where they should is the subject of their own tests; here each has its words and its ways out.
 */
const at = (deviceId: string, terminalId: string, channel = 1) => ({ deviceId, terminalId, channel });
const of = <A extends About>(about: A, ...deviceIds: string[]) => ({
  id: about,
  severity: 'caution' as const,
  about,
  deviceIds,
});

const plan = apply(planOfFile(skerryPoint()), {
  kind: 'put-side-traffic',
  traffic: {
    id: 'preamps',
    name: 'Preamplifiers',
    kind: 'MIDI',
    from: { deviceId: 'rack-converter', terminalId: 'madi-in' },
    to: { deviceId: 'rack-converter', terminalId: 'madi-out' },
  },
});
const stream = [...reckon(plan).streamsBySender.values()].flat()[0]!.id;

const EXAMPLES: { readonly [A in About]: FindingAbout<A> } = {
  'duplicate-name': { ...of('duplicate-name', 'dome-amp-1', 'dome-amp-2'), name: 'Dome amp' },
  'figures-unknown': {
    ...of('figures-unknown', 'dome-amp-1'),
    modelId: 'amp-8',
    figures: ['streamsReceive', 'linkOffsetMinNs'],
  },
  'labels-too-long': {
    ...of('labels-too-long', 'dome-amp-1'),
    side: 'receive',
    isShort: true,
    limit: 6,
    channels: [1, 2],
  },
  'unit-passes-nothing': of('unit-passes-nothing', 'tank-reverb', 'dome-amp-1'),
  'heard-by-old-name': {
    ...of('heard-by-old-name', 'dome-amp-1', 'dome-amp-2'),
    planned: 'Dome amp 1',
    found: 'Amp 7',
  },
  'map-limits-differ': {
    ...of('map-limits-differ', 'dome-amp-1'),
    side: 'receive',
    planned: null,
    found: { blockSize: 4, reordering: false },
  },
  'no-channel-map': {
    ...of('no-channel-map', 'dome-amp-1'),
    sendOrder: null,
    receiveOrder: [{ first: 1, channels: 8 }],
  },
  'maps-apart': { ...of('maps-apart', 'dome-amp-1'), nodeId: 'n', parts: [{ nodeDeviceId: 'd', label: 'Card 2' }] },
  'duplicate-address': {
    ...of('duplicate-address', 'dome-amp-1', 'dome-amp-2'),
    address: '10.20.0.31',
    interfaces: ['Media A', 'Media A'],
  },
  'address-outside-subnet': {
    ...of('address-outside-subnet', 'dome-amp-1'),
    interface: 'Media A',
    address: '10.9.0.4',
    cidr: '10.20.0.0/24',
  },
  'address-in-dhcp-range': {
    ...of('address-in-dhcp-range', 'dome-amp-1'),
    interface: 'Media A',
    address: '10.20.0.210',
    subnetId: 'a-north',
    range: { first: '10.20.0.200', last: '10.20.0.250' },
  },
  'subnets-overlap': {
    ...of('subnets-overlap'),
    subnetIds: ['a-north', 'a-south'],
    cidrs: ['10.20.0.0/16', '10.20.1.0/24'],
  },
  'legs-on-one-vlan': { ...of('legs-on-one-vlan'), subnetIds: ['a-north', 'b-north'], vlan: 20 },
  'subnet-full': { ...of('subnet-full'), subnetId: 'a-north', free: 0, usable: 254 },
  'no-querier': { ...of('no-querier', 'loft-edge-a'), subnetId: 'a-north', devices: 40 },
  'two-queriers': {
    ...of('two-queriers', 'core-a', 'loft-edge-a'),
    subnetId: 'a-north',
    switchIds: ['core-a', 'loft-edge-a'],
    winnerId: 'core-a',
  },
  'gateway-nobody': { ...of('gateway-nobody'), subnetId: 'a-north', gateway: '10.20.0.1' },
  'control-apart': { ...of('control-apart', 'dome-amp-1'), mediaSubnetId: 'a-north', controlSubnetId: 'control' },
  'legs-in-one-network': { ...of('legs-in-one-network', 'dome-amp-1'), subnetIds: ['a-north', 'b-north'] },
  'port-twice': { ...of('port-twice', 'core-a'), port: 'Port 3', linkIds: ['up-loft-edge-a', 'up-wave-edge-a'] },
  'cable-too-long': {
    ...of('cable-too-long', 'core-a'),
    linkId: 'up-loft-edge-a',
    metres: 140,
    limitMetres: 100,
    cable: 'cat6',
  },
  'link-too-fast': {
    ...of('link-too-fast', 'core-a'),
    linkId: 'up-loft-edge-a',
    bitsPerSecond: 1e10,
    portBitsPerSecond: 1e9,
  },
  loop: { ...of('loop', 'core-a', 'loft-edge-a'), linkIds: ['up-loft-edge-a'], switchIds: ['core-a', 'loft-edge-a'] },
  'vlan-cut': {
    ...of('vlan-cut', 'core-a', 'wave-edge-a'),
    subnetIds: ['a-south'],
    linkIds: ['up-wave-edge-a-2'],
    openLinkIds: ['up-wave-edge-a'],
    oneTreeIds: ['core-a'],
  },
  'control-unplugged': { ...of('control-unplugged', 'dome-amp-1', 'dome-amp-2'), subnetIds: ['control'] },
  'management-apart': { ...of('management-apart', 'core-a'), subnetId: 'control' },
  'poe-class': { ...of('poe-class', 'exhibit-1'), linkId: 'up-pier-edge-a', takesClass: 4, givesClass: 3 },
  'poe-budget': { ...of('poe-budget', 'pier-edge-a'), switchId: 'pier-edge-a', wantedW: 400, budgetW: 370 },
  'legs-at-one-switch': {
    ...of('legs-at-one-switch', 'loft-console', 'core-a'),
    switchId: 'core-a',
    linkIds: ['drop-loft-console-a', 'drop-loft-console-b'],
  },
  'snooping-off': { ...of('snooping-off', 'core-a'), switchId: 'core-a', canSnoop: true },
  'energy-saving': { ...of('energy-saving', 'core-a'), switchId: 'core-a', isFixed: false },
  'dscp-untrusted': { ...of('dscp-untrusted', 'core-a'), switchId: 'core-a', canTrust: true },
  'queue-mapping': { ...of('queue-mapping', 'core-a'), switchId: 'core-a', ptpQueue: 2, mediaQueue: 5, queues: 8 },
  overload: {
    ...of('overload', 'core-a', 'loft-edge-a'),
    linkId: 'up-loft-edge-a',
    senderId: 'core-a',
    bitsPerSecond: 9e8,
    usableBitsPerSecond: 1e9,
    ceilingPercent: 70,
    topStreamIds: [stream],
  },
  'link-unfit': { ...of('link-unfit', 'core-a'), linkId: 'up-loft-edge-a', why: 'half-duplex', streams: 3 },
  'group-table-full': { ...of('group-table-full', 'core-a'), switchId: 'core-a', wanted: 300, limit: 256 },
  'igmp-without-sources': { ...of('igmp-without-sources', 'core-a'), switchId: 'core-a', groups: ['239.71.0.1'] },
  'igmp-versions-differ': {
    ...of('igmp-versions-differ', 'core-a'),
    subnetId: 'a-north',
    switchIds: ['core-a'],
    count: 3,
  },
  'pim-any-source': { ...of('pim-any-source', 'core-a'), switchId: 'core-a', groups: ['239.71.0.1'] },
  'pim-no-rendezvous': { ...of('pim-no-rendezvous', 'core-a'), switchId: 'core-a', groups: ['239.71.0.1'] },
  'pim-differs': of('pim-differs', 'core-a', 'core-b'),
  'legs-share-switch': { ...of('legs-share-switch', 'core-a'), switchId: 'core-a', streamIds: [stream] },
  'legs-share-cable': { ...of('legs-share-cable', 'core-a', 'core-b'), linkId: 'up-loft-edge-a', streamIds: [stream] },
  'discovery-local': { ...of('discovery-local'), subnetIds: ['a-north', 'a-south'], lanes: 12 },
  'late-by-queueing': {
    ...of('late-by-queueing', 'dome-amp-1', 'loft-console'),
    receiverDeviceId: 'dome-amp-1',
    senderDeviceId: 'loft-console',
    neededNs: 1_400_000,
    queueNs: 500_000,
    offsetNs: 1_000_000,
  },
  'group-collision': {
    ...of('group-collision', 'loft-console'),
    groups: [
      { streamId: stream, leg: 'A', group: '239.71.0.1' },
      { streamId: stream, leg: 'B', group: '239.199.0.1' },
    ],
  },
  'group-reserved': { ...of('group-reserved', 'loft-console'), streamId: stream, leg: 'A', group: '224.0.1.129' },
  'link-slower': {
    ...of('link-slower', 'core-a'),
    linkId: 'up-loft-edge-a',
    plannedBitsPerSecond: 1e9,
    foundBitsPerSecond: 1e8,
  },
  'link-half-duplex-found': { ...of('link-half-duplex-found', 'core-a'), linkId: 'up-loft-edge-a' },
  'answers-elsewhere': {
    ...of('answers-elsewhere', 'dome-amp-1'),
    address: '10.20.1.44',
    subnetId: 'a-south',
    adapter: 'eth1',
    planned: [{ subnetId: 'a-north', adapters: ['eth0'] }],
  },
  'two-grandmasters': {
    ...of('two-grandmasters', 'north-master', 'south-master'),
    domainNumber: 0,
    grandmasterIds: ['north-master', 'south-master'],
    subnetIds: ['a-south'],
    areSynchronous: false,
  },
  'clock-tie': { ...of('clock-tie', 'north-master', 'south-master'), winnerId: 'north-master', isIdentityKnown: true },
  'priorities-default': {
    ...of('priorities-default', 'north-master', 'south-master'),
    count: 2,
    winnerId: 'north-master',
  },
  'leader-only-follows': {
    ...of('leader-only-follows', 'loft-console', 'north-master'),
    priority1: 1,
    canLead: false,
    ignoresId: 'north-master',
  },
  'battery-grandmaster': { ...of('battery-grandmaster', 'wave-wireless-1'), followers: 40 },
  'subnet-no-time': { ...of('subnet-no-time', 'exhibit-1'), subnetId: 'a-pier', devices: 14, isTimeElsewhere: true },
  'relay-no-spare': { ...of('relay-no-spare', 'core-a'), subnetId: 'a-pier', relayId: 'core-a', devices: 14 },
  'relay-unreachable': {
    ...of('relay-unreachable', 'core-a', 'north-master'),
    relayId: 'core-a',
    masterId: 'north-master',
  },
  'profile-unmet': { ...of('profile-unmet', 'dome-amp-1', 'north-master'), leaderId: 'north-master' },
  'intervals-differ': {
    ...of('intervals-differ', 'dome-amp-1', 'north-master'),
    leaderId: 'north-master',
    field: 'logSyncInterval',
    leaderValue: -3,
    values: [0],
  },
  'domains-differ': { ...of('domains-differ', 'dome-amp-1'), subnetId: 'a-north', domainNumber: 3, usualDomain: 0 },
  'grandmaster-no-spare': {
    ...of('grandmaster-no-spare', 'north-master'),
    isOnBothLegs: true,
    nextId: 'south-master',
    devicesWithoutTime: 4,
  },
  'version-1-alone': { ...of('version-1-alone', 'dome-amp-1'), subnetId: 'a-north' },
  'time-through-switch': {
    ...of('time-through-switch', 'core-a'),
    switchId: 'core-a',
    devices: 12,
    sharesQueue: true,
    savesEnergy: true,
  },
  'rate-not-of-group': {
    ...of('rate-not-of-group', 'dome-amp-1'),
    groupId: 'house',
    groupRateHz: 48_000,
    rateHz: 96_000,
  },
  'free-running-sides': {
    ...of('free-running-sides', 'yard-converter'),
    groupId: 'boat',
    partsPerMillion: 20,
    rateHz: 48_000,
    slipSeconds: 1,
  },
  'group-no-authority': { ...of('group-no-authority', 'dome-amp-1'), groupId: 'house', members: 30 },
  'reference-rate': {
    ...of('reference-rate', 'north-master'),
    referenceId: 'house-video',
    referenceRateHz: 48_000,
    wantedRateHz: 96_000,
  },
  'reference-missing': {
    ...of('reference-missing', 'north-master'),
    leads: true,
    tried: [{ referenceId: 'gnss-north', problem: 'lost' }],
    state: 'hold-over',
  },
  'free-running': {
    ...of('free-running', 'dome-amp-1', 'loft-console'),
    pairs: [{ senderId: 'loft-console', receiverId: 'dome-amp-1', lanes: 8 }],
    partsPerMillion: 20,
    rateHz: 48_000,
    slipSeconds: 1,
    isStopped: false,
  },
  'field-grandmaster': {
    ...of('field-grandmaster', 'dome-amp-1'),
    plannedId: 'north-master',
    foundGmid: '00-1b-19-ff-fe-00-00-01',
    foundId: null,
  },
  'field-two-grandmasters': {
    ...of('field-two-grandmasters', 'dome-amp-1', 'dome-amp-2'),
    masters: [
      { gmid: '00-1b-19-ff-fe-00-00-01', deviceId: 'north-master', devices: 20 },
      { gmid: '00-1b-19-ff-fe-00-00-02', deviceId: null, devices: 3 },
    ],
  },
  'no-group-left': { ...of('no-group-left', 'loft-console'), streamIds: [stream] },
  'past-the-unit': {
    ...of('past-the-unit', 'dome-amp-1', 'loft-console'),
    unitIds: ['north-processor'],
    channels: [1, 2],
  },
  'idle-passes': { ...of('idle-passes', 'north-processor'), channels: [3, 4] },
  'lanes-refused': {
    ...of('lanes-refused', 'dome-amp-1', 'loft-console'),
    receiverDeviceId: 'dome-amp-1',
    senderDeviceId: 'loft-console',
    channels: [1],
    reason: { code: 'stream-budget', end: 'receiver', wanted: 5, limit: 4 },
  },
  'lanes-caution': {
    ...of('lanes-caution', 'dome-amp-1', 'loft-console'),
    receiverDeviceId: 'dome-amp-1',
    senderDeviceId: 'loft-console',
    channels: [1],
    caution: { code: 'path-unknown' },
  },
  'feedback-loop': {
    ...of('feedback-loop', 'loft-console', 'tank-reverb'),
    ring: [at('loft-console', 'buses', 3), at('tank-reverb', 'network-out')],
    hasFader: true,
  },
  'same-sound-twice': {
    ...of('same-sound-twice', 'loft-console', 'wave-stage-box'),
    bus: at('loft-console', 'buses', 3),
    source: at('wave-stage-box', 'mic-in', 2),
    feeders: [at('loft-console', 'strips', 1), at('loft-console', 'strips', 2)],
    delaysNs: [3_000_000, 6_000_000],
  },
  'fed-by-nothing': { ...of('fed-by-nothing', 'loft-console'), terminalId: 'line-out', channels: [1, 2] },
  'heard-by-nobody': { ...of('heard-by-nobody', 'wave-stage-box'), terminalId: 'mic-in', channels: [7] },
  'patch-block': {
    ...of('patch-block', 'archive-recorder'),
    terminalId: 'tracks',
    channels: [1, 2, 3, 4, 5, 6, 7, 8],
    blockSize: 8,
  },
  'tap-too-late': {
    ...of('tap-too-late', 'loft-console'),
    asking: at('loft-console', 'network-out', 3),
    fed: at('loft-console', 'network-out', 3),
    from: at('loft-console', 'strips', 3),
    asked: 'before-fader',
    taken: 'after-fader',
  },
  'socket-used-twice': {
    ...of('socket-used-twice', 'yard-converter'),
    terminalId: 'madi-in',
    channel: 1,
    cableIds: ['boat-to-yard'],
    plugged: 'Bell',
  },
  'analogue-end': {
    ...of('analogue-end', 'wave-stage-box'),
    terminalId: 'mic-in',
    channel: 1,
    misfit: { code: 'level-mismatch', givesDbu: 4, wantsDbu: -20, differenceDb: 24 },
  },
  'bus-clips': {
    ...of('bus-clips', 'loft-console'),
    terminalId: 'buses',
    channel: 2,
    misfit: { code: 'bus-clips', from: at('loft-console', 'strips', 2), mostDbfs: -3, sendDb: 6, overDb: 3 },
  },
  'coherence-apart': {
    ...of('coherence-apart', 'dome-amp-1', 'dome-amp-2'),
    groupId: 'dome-ring',
    spreadNs: 2_000_000,
    offsetsNs: [1_000_000, 3_000_000],
    sharedNs: 1_200_000,
  },
  'payload-broken': {
    ...of('payload-broken', 'loft-console', 'wave-stage-box'),
    source: at('wave-stage-box', 'mic-in', 2),
    at: at('loft-console', 'strips', 2),
    because: 'processing',
  },
  'payload-half': {
    ...of('payload-half', 'loft-console', 'wave-stage-box'),
    source: at('wave-stage-box', 'mic-in', 2),
    at: at('loft-console', 'network-in', 2),
  },
  'side-traffic-ends': {
    ...of('side-traffic-ends', 'rack-converter'),
    trafficId: 'preamps',
    kind: 'MIDI',
    at: at('rack-converter', 'network-out'),
  },
  'patch-differs': {
    ...of('patch-differs', 'loft-console'),
    differences: [
      { terminalId: 'strips', channel: 1, planned: { terminalId: 'network-in', channel: 1 }, found: null },
      { terminalId: 'strips', channel: 2, planned: null, found: { input: 'Aux', channel: 3 } },
    ],
  },
  'battery-low': { ...of('battery-low', 'wave-wireless-1'), terminalId: 'radio', channel: 1, percent: 12 },
  'substitute-standing': {
    ...of('substitute-standing', 'dome-amp-1'),
    substitutionId: [...plan.substitutions.keys()][0] ?? 'gone',
    channelCount: 4,
    by: 'Ida',
    days: 2,
  },
  'slot-two-talkers': {
    ...of('slot-two-talkers', 'quay-bell-unit', 'yard-stage-unit'),
    busId: 'quay-chain',
    slots: [1, 2],
    choices: [0, 0],
  },
  'slot-unheard': {
    ...of('slot-unheard', 'quay-bell-unit'),
    busId: 'quay-chain',
    choice: 0,
    slots: [3],
    why: 'nobody',
    limit: 64,
  },
  'slot-beyond-bus': {
    ...of('slot-beyond-bus', 'quay-bell-unit'),
    busId: 'quay-chain',
    choice: 0,
    slot: 70,
    slotCount: 64,
  },
  'slot-rates-differ': {
    ...of('slot-rates-differ', 'quay-bell-unit', 'yard-stage-unit'),
    busId: 'quay-chain',
    ratesHz: [44_100, 48_000],
  },
};

const ids = [...plan.devices.values()].filter((d) => d.id.includes('-') && !d.name.includes(d.id)).map((d) => d.id);

function mustBeWords(text: string): void {
  expect(text.trim()).not.toBe('');
  expect(text).not.toMatch(/undefined|null|NaN|Infinity|\[object/);
  expect(ids.filter((id) => text.includes(id))).toEqual([]);
}

test.each(Object.values<Finding>(EXAMPLES))(
  '$about has words, a stage, and ways out that the plan accepts',
  (finding) => {
    mustBeWords(findingTitle(plan, finding));
    expect(STAGES.some((stage) => stage.area === areaOf(finding))).toBe(true);
    for (const fix of fixesFor(plan, finding)) {
      mustBeWords(fixWords(plan, fix));
      const result = applyCommands(plan, fix.commands);
      expect(result.ok ? null : result.problem).toBeNull();
    }
  },
);
