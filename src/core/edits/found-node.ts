import type { ChannelRange, MapLimits } from '../models/models-table';
import type { FormatRange } from '../streams/capability';
import type { Essence } from '../streams/essence';
import type { RateHz } from '../streams/format';

/** What tells found nodes, and devices of one node, from one another. */
export const foundKey = ({ nodeId, nodeDeviceId }: FoundNode): string =>
  nodeDeviceId === undefined ? nodeId : `${nodeId}/${nodeDeviceId}`;

/** What is known of a node that is not in the plan: from the field, or from a file of NMOS resources. */
export interface FoundNode {
  readonly nodeId: string;
  /** Set where the node has several devices that are planned each by itself: which of them it is. */
  readonly nodeDeviceId?: string;
  readonly label: string;
  readonly serial: string | null;
  /** As the plan would write them. */
  readonly addresses: readonly string[];
  readonly channelsReceive: number;
  readonly channelsSend: number;
  readonly streamsReceive: number;
  readonly streamsSend: number;
  /** Senders and receivers of pictures and of ancillary data, which are not planned; not there: none. */
  readonly others?: Readonly<Record<Exclude<Essence, 'audio'>, number>>;
  /** Null, or not there: not told. The same goes for what follows. */
  readonly rateHz?: RateHz | null;
  /** Its network interfaces as it names them. */
  readonly interfaces?: readonly string[];
  readonly hasPtp?: boolean | null;
  /** What its receivers say that they take. */
  readonly receives?: readonly FormatRange[];
  /** In the field: who told of it, as an address, and when, in ms since 1970. */
  readonly foundFrom?: string;
  readonly foundAt?: number;
  readonly receiveMap?: MapLimits | null;
  readonly sendMap?: MapLimits | null;
  /** Set where it offers no channel map: the channels of its streams as far as it tells of them, one stream after the other. */
  readonly sendOrder?: readonly ChannelRange[] | null;
  readonly receiveOrder?: readonly ChannelRange[] | null;
}
