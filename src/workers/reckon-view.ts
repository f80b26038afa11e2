import type { PtpMessages } from '../core/network/allowances';
import type { Finding } from '../core/findings/finding';
import type { RunsFor } from '../core/findings/loads';
import type { RecordChange } from '../core/plan/changes';
import type { Interruption } from '../core/reckon/interrupts';
import type { ProvenFix } from '../core/reckon/proven-fixes';
import type { Overlap } from '../core/reckon/overlap';
import type { DeviceBudget, Totals } from '../core/reckon/reckoning';
import type { LaneCaution, LaneReason } from '../core/reckon/lane';
import type { StreamFormat } from '../core/streams/format';
import type { Term } from '../core/units/working';
import type { ClockView } from './clock-view';

/** What the reckoning worker tells the page: as little as the sheets need, and only what changed. */

export interface LaneView {
  readonly verdict: 'fits' | 'caution' | 'refused';
  readonly senderDeviceId: string;
  readonly senderChannel: number;
  /** `S-014` style names are the interface's; this is `<sender>/<streamNumber>`. Null where it never got into a stream. */
  readonly streamId: string | null;
  readonly position: number | null;
  readonly width: number | null;
  readonly offsetNs: number | null;
  readonly reason: LaneReason | null;
  readonly caution: LaneCaution | null;
  /** In a preview: it would go another way than now, so that the field tells nothing of it. */
  readonly isMoved: boolean;
}

/** What every link carries. Arrays are by directed link: `2 × index`, `+ 1` for what runs from `to` to `from`. */
export interface NetworkView {
  readonly linkIds: readonly string[];
  /** Media, clock, announcements and control together. */
  readonly bitsPerSecond: Float64Array;
  readonly streams: Int32Array;
  /** By link: what is not set aside. */
  readonly usableBitsPerSecond: readonly number[];
  /** Links that the spanning tree leaves idle in every VLAN that they carry. */
  readonly idleLinkIds: ReadonlySet<string>;
  /** By switch. */
  readonly groupsAtSwitch: ReadonlyMap<string, number>;
}

/** One stream on one direction of a link, and why it is there. */
export interface StreamOnLink {
  readonly streamId: string;
  readonly leg: 'A' | 'B';
  readonly group: string | null;
  readonly bitsPerSecond: number;
  /** How often it runs there: once in each VLAN. */
  readonly copies: number;
  /** Receivers that are reached over this link; empty where only a querier is. */
  readonly receiverIds: readonly string[];
  readonly runsFor: RunsFor;
  /** The subnets in whose VLANs it runs there, each with the root of the VLAN's spanning tree. */
  readonly vlans: readonly { readonly subnetId: string; readonly rootId: string }[];
}

export interface DirectionDetail {
  readonly sendsId: string;
  readonly hearsId: string;
  readonly terms: readonly Term[];
  readonly bitsPerSecond: number;
  readonly usableBitsPerSecond: number;
  readonly share: number;
  /** Clock messages in reach. */
  readonly ptp: PtpMessages;
  /** One packet of every stream that runs there: the longest wait in the media class. */
  readonly queueNs: number;
  /** Waiting behind one frame of a lower class that has begun to leave. */
  readonly frameNs: number;
  readonly streams: readonly StreamOnLink[];
}

export interface LinkDetail {
  readonly linkId: string;
  readonly directions: readonly [DirectionDetail, DirectionDetail];
  /** The cables that carry traffic as one with it, itself among them. */
  readonly joinedLinkIds: readonly string[];
  readonly isIdle: boolean;
}

/** One stream with its groups and how far it spreads. */
export interface StreamView {
  readonly id: string;
  readonly senderDeviceId: string;
  readonly streamNumber: number;
  readonly width: number;
  readonly formatKey: string;
  readonly format: StreamFormat;
  readonly bitsPerSecond: number;
  readonly groupA: string | null;
  readonly groupB: string | null;
  readonly isUnicast: boolean;
  /** Whether the group was chosen by hand. */
  readonly isChosenA: boolean;
  readonly isChosenB: boolean;
  readonly packed: PackedStream;
  readonly receiverIds: readonly string[];
  readonly links: number;
  readonly sum: readonly Term[];
}

export interface ReckoningDelta {
  /** Null where no load changed. */
  readonly network: NetworkView | null;
  /** Null where clocks came out the same. */
  readonly clocks: ClockView | null;
  /** Receiving devices whose lanes changed; null: it has none any more. */
  readonly lanes: ReadonlyMap<string, ReadonlyMap<number, LaneView> | null>;
  readonly budgets: ReadonlyMap<string, DeviceBudget | null>;
  readonly findings: readonly Finding[];
  readonly totals: Totals;
  readonly workedOutInMs: number;
}

export interface PreviewResult {
  /** What the batch comes to, record by record. */
  readonly changes: readonly RecordChange[];
  readonly delta: ReckoningDelta;
  /** Lanes that fit now and would not go on as they are; whether they carry is for the field to say. */
  readonly interruptions: readonly Interruption[];
  readonly newStreamIds: readonly string[];
  readonly refusedChannels: number;
  /** Null where no link goes over the ceiling during the change that does not go over it afterwards too. */
  readonly overlap: Overlap | null;
}

interface HopView {
  /** A switch on the way; null for the last link into the receiver. */
  readonly switchName: string | null;
  readonly linkBitsPerSecond: number;
  readonly metres: number;
  /** Time from leaving the last point until leaving this one, worst case but for other media. */
  readonly ns: number;
  /** Waiting behind one packet of every other stream that leaves by the same port. */
  readonly queueNs: number;
  readonly isRouter: boolean;
}

export interface LegView {
  readonly leg: 'A' | 'B';
  readonly group: string | null;
  readonly fromSubnet: string;
  readonly toSubnet: string;
  readonly isRouted: boolean;
  /** Null where the drawing has no cables that join the two. */
  readonly hops: readonly HopView[] | null;
}

/** Why a stream holds what it holds. */
export type PackedWhy =
  /** Held by hand. */
  | 'held'
  /** Carries, and is never disturbed by an edit. */
  | 'as-sent'
  /** So agreed on when the plan was repacked. */
  | 'laid-out'
  /** A copy to one receiver. */
  | 'unicast'
  /** All of its channels are heard by the same receivers. */
  | 'like-receivers'
  /** Unlike channels were joined, as the sender has no more streams. */
  | 'joined';

/** What the sheet says of how a stream came about. */
export interface PackedStream {
  readonly senderDeviceId: string;
  readonly streamNumber: number;
  readonly channels: readonly number[];
  readonly format: StreamFormat;
  readonly why: PackedWhy;
  /** Channels in it that nobody hears any more. */
  readonly idle: number;
}

/** Everything behind one lane, for the reckoning panel. */
export interface LaneDetail {
  readonly verdict: 'fits' | 'caution' | 'refused';
  readonly reason: LaneReason | null;
  readonly caution: LaneCaution | null;
  readonly stream: {
    readonly id: string;
    readonly streamNumber: number;
    readonly receiverStreamNumber: number;
    readonly format: StreamFormat;
    readonly channels: readonly number[];
    readonly width: number;
    readonly position: number | null;
    readonly packed: PackedStream;
    readonly receiverDeviceIds: readonly string[];
    readonly legCount: number;
    readonly sum: readonly Term[];
  } | null;
  readonly legs: readonly LegView[];
  /** Switches and cables that both legs run through; null where there are not two legs with cables. */
  readonly shared: { readonly switchIds: readonly string[]; readonly linkIds: readonly string[] } | null;
  readonly offset: readonly Term[] | null;
  readonly finding: Finding | null;
  readonly fixes: readonly ProvenFix[];
}
