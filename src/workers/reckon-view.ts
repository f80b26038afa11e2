import type { Fix } from '../core/findings/fixes';
import type { Finding } from '../core/findings/finding';
import type { RecordChange } from '../core/plan/changes';
import type { Command, CommandProblem } from '../core/plan/commands';
import type { PlanFile } from '../core/formats/plan-file';
import type { DeviceBudget, LaneCaution, LaneReason, Totals } from '../core/reckon/reckoning';
import type { StreamFormat } from '../core/streams/format';
import type { Term } from '../core/units/working';

/** What the reckoning worker tells the page: as little as the sheets need, and only what changed. */

export interface LaneView {
  readonly verdict: 'fits' | 'caution' | 'refused';
  readonly senderDeviceId: string;
  readonly senderChannel: number;
  /** `S-014` style names are the interface's; this is `<sender>/<slot>`. Null where it never got into a stream. */
  readonly streamId: string | null;
  readonly position: number | null;
  readonly width: number | null;
  readonly offsetNs: number | null;
  readonly reason: LaneReason | null;
  readonly caution: LaneCaution | null;
}

export interface ReckoningDelta {
  /** Receiving devices whose lanes changed; null: it has none any more. */
  readonly lanes: ReadonlyMap<string, ReadonlyMap<number, LaneView> | null>;
  readonly budgets: ReadonlyMap<string, DeviceBudget | null>;
  readonly findings: readonly Finding[];
  readonly totals: Totals;
  readonly workedOutInMs: number;
}

export interface PreviewResult {
  readonly delta: ReckoningDelta;
  /** Streams that the devices carry and that would end or change. */
  readonly disturbedStreamIds: readonly string[];
  readonly newStreamIds: readonly string[];
  readonly refusedChannels: number;
}

export interface HopView {
  /** A switch on the way; null for the last link into the receiver. */
  readonly switchName: string | null;
  readonly linkBitsPerSecond: number;
  readonly metres: number;
  /** Time from leaving the last point until leaving this one, worst case. */
  readonly ns: number;
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

/** Everything behind one lane, for the reckoning panel. */
export interface LaneDetail {
  readonly verdict: 'fits' | 'caution' | 'refused';
  readonly reason: LaneReason | null;
  readonly caution: LaneCaution | null;
  readonly stream: {
    readonly id: string;
    readonly slot: number;
    readonly receiverSlot: number;
    readonly format: StreamFormat;
    readonly channels: readonly number[];
    readonly width: number;
    readonly position: number | null;
    readonly isSent: boolean;
    readonly receiverDeviceIds: readonly string[];
    readonly legCount: number;
    readonly sum: readonly Term[];
  } | null;
  readonly legs: readonly LegView[];
  readonly offset: readonly Term[] | null;
  readonly finding: Finding | null;
  readonly fixes: readonly Fix[];
}

export interface ReckonWorker {
  load(file: PlanFile): ReckoningDelta;
  advance(changes: readonly RecordChange[]): ReckoningDelta;
  /** What a batch would do. The plan stays as it is; the next `explain` is about the preview until `endPreview`. */
  preview(commands: readonly Command[]): { ok: true; result: PreviewResult } | { ok: false; problem: CommandProblem };
  endPreview(): void;
  explain(deviceId: string, channel: number): LaneDetail | null;
  fixesFor(findingId: string): readonly Fix[];
}
