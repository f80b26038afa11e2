import type { About, FindingAbout } from './finding';

/** What part of a plan findings are about: where they are put right. */
export const AREAS = ['gear', 'network', 'clocks', 'lanes', 'patch', 'slots'] as const;

export type Area = (typeof AREAS)[number];

/** Of cables and what they plug into. */
export const CABLE_KINDS = [
  'port-twice',
  'cable-too-long',
  'link-too-fast',
  'loop',
  'vlan-cut',
  'control-unplugged',
  'management-apart',
  'poe-class',
  'poe-budget',
] as const;

/** Of who keeps time. */
export const TIME_KINDS = [
  'two-grandmasters',
  'clock-tie',
  'priorities-default',
  'leader-only-follows',
  'battery-grandmaster',
  'subnet-no-time',
  'relay-no-spare',
  'relay-unreachable',
  'profile-unmet',
  'intervals-differ',
  'domains-differ',
  'grandmaster-no-spare',
  'version-1-alone',
] as const;

/** Of how groups are joined. */
export const MULTICAST_KINDS = [
  'igmp-without-sources',
  'igmp-versions-differ',
  'pim-any-source',
  'pim-no-rendezvous',
  'pim-differs',
] as const;

/** Of what samples are paced by. */
export const RATE_KINDS = [
  'rate-not-of-group',
  'free-running-sides',
  'group-no-authority',
  'reference-rate',
  'reference-missing',
] as const;

/** Of subnets as a whole. */
export const SUBNET_KINDS = [
  'subnets-overlap',
  'legs-on-one-vlan',
  'subnet-full',
  'no-querier',
  'two-queriers',
  'gateway-nobody',
  'control-apart',
  'legs-in-one-network',
] as const;

const KINDS = {
  gear: [
    'duplicate-name',
    'figures-unknown',
    'labels-too-long',
    'unit-passes-nothing',
    'heard-by-old-name',
    'map-limits-differ',
    'no-channel-map',
    'maps-apart',
  ],
  network: [
    'duplicate-address',
    'address-outside-subnet',
    'address-in-dhcp-range',
    ...SUBNET_KINDS,
    ...CABLE_KINDS,
    'legs-at-one-switch',
    'snooping-off',
    'energy-saving',
    'dscp-untrusted',
    'queue-mapping',
    'overload',
    'link-unfit',
    'group-table-full',
    ...MULTICAST_KINDS,
    'legs-share-switch',
    'legs-share-cable',
    'discovery-local',
    'late-by-queueing',
    'group-collision',
    'group-reserved',
    'link-slower',
    'link-half-duplex-found',
    'answers-elsewhere',
  ],
  clocks: [
    ...TIME_KINDS,
    'time-through-switch',
    ...RATE_KINDS,
    'free-running',
    'field-grandmaster',
    'field-two-grandmasters',
  ],
  lanes: ['no-group-left', 'past-the-unit', 'idle-passes', 'lanes-refused', 'lanes-caution'],
  patch: [
    'feedback-loop',
    'same-sound-twice',
    'fed-by-nothing',
    'heard-by-nobody',
    'patch-block',
    'tap-too-late',
    'socket-used-twice',
    'analogue-end',
    'bus-clips',
    'coherence-apart',
    'payload-broken',
    'payload-half',
    'side-traffic-ends',
    'patch-differs',
    'battery-low',
    'substitute-standing',
  ],
  slots: ['slot-two-talkers', 'slot-unheard', 'slot-beyond-bus', 'slot-rates-differ'],
} as const satisfies Readonly<Record<Area, readonly About[]>>;

type KindIn<A extends Area> = (typeof KINDS)[A][number];
/** A kind of finding that is in no area does not compile. */
const isEveryKindPlaced: [Exclude<About, KindIn<Area>>] extends [never] ? true : Exclude<About, KindIn<Area>> = true;

const AREA_OF = new Map<About, Area>(
  isEveryKindPlaced ? AREAS.flatMap((area) => KINDS[area].map((about): [About, Area] => [about, area])) : [],
);

export type FindingIn<A extends Area> = FindingAbout<KindIn<A>>;

/** The area of a plan that a finding is about; it follows from its kind. */
export const areaOf = ({ about }: { readonly about: About }): Area => AREA_OF.get(about) as Area;

export const isIn = <A extends Area>(area: A, finding: { readonly about: About }): finding is FindingIn<A> =>
  areaOf(finding) === area;
