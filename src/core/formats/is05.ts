import { rawList, rawOf, textOrNull } from './raw';

/** Staged and active parameters of a sender or receiver (IS-05). Devices send all sorts of things: nothing is taken on trust. */

export interface LegParams {
  /** The device's own address on this leg: where a sender sends from, or a receiver listens at; null: it does not say. */
  readonly ownIp: string | null;
  readonly sourceIp: string | null;
  /** The group (or address) that a sender sends to, or that a receiver listens to. */
  readonly destinationIp: string | null;
  readonly port: number | null;
  readonly isEnabled: boolean;
}

export interface EndState {
  readonly isEnabled: boolean;
  readonly peerId: string | null;
  readonly legs: readonly LegParams[];
}

export function readEndState(value: unknown): EndState {
  const raw = rawOf(value);
  return {
    isEnabled: raw['master_enable'] === true,
    peerId: textOrNull(raw['receiver_id']) ?? textOrNull(raw['sender_id']),
    legs: rawList(raw['transport_params']).map((p) => ({
      ownIp: textOrNull('destination_ip' in p ? p['source_ip'] : p['interface_ip']),
      sourceIp: textOrNull(p['source_ip']),
      // A receiver of a group names it; one that is sent to by itself names its own address.
      destinationIp: textOrNull(p['destination_ip']) ?? textOrNull(p['multicast_ip']) ?? textOrNull(p['interface_ip']),
      port: typeof p['destination_port'] === 'number' ? p['destination_port'] : null,
      isEnabled: p['rtp_enabled'] === true,
    })),
  };
}
