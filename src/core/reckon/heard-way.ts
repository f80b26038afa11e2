import type { Way } from '../network/topology';

/** One stream as one receiver hears it, with its ways through the network. */
export interface HeardWay {
  readonly streamId: string;
  readonly senderDeviceId: string;
  readonly receiverDeviceId: string;
  readonly wayA: Way | null;
  readonly wayB: Way | null;
  /** Subnets on leg A (or B where there is no A) when a router lies between; null within a subnet. */
  readonly crossing: readonly [string, string] | null;
  readonly packetBits: number;
  readonly offsetNs: number;
  readonly neededNs: number;
  readonly lanes: number;
}
export type HeardByReceiver = ReadonlyMap<string, readonly HeardWay[]>;
