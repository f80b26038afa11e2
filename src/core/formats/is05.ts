import { rawList, rawOf, textOrNull } from './raw';
import { sharedText } from './shared-text';
import { sharedValue } from './shared-value';

/** Staged and active parameters of a sender or receiver (IS-05). Devices send all sorts of things: nothing is taken on trust. */

interface LegParams {
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

function addressOf(value: unknown): string | null {
  const text = textOrNull(value);
  return text === null ? null : sharedText(text);
}

export function readEndState(value: unknown): EndState {
  const raw = rawOf(value);
  const isEnabled = raw['master_enable'] === true;
  const legs = rawList(raw['transport_params']).map((p) => ({
    ownIp: addressOf('destination_ip' in p ? p['source_ip'] : p['interface_ip']),
    sourceIp: addressOf(p['source_ip']),
    // A receiver of a group names it; one that is sent to by itself names its own address.
    destinationIp: addressOf(p['destination_ip']) ?? addressOf(p['multicast_ip']) ?? addressOf(p['interface_ip']),
    port: typeof p['destination_port'] === 'number' ? p['destination_port'] : null,
    isEnabled: p['rtp_enabled'] === true,
  }));
  return {
    isEnabled,
    peerId: textOrNull(raw['receiver_id']) ?? textOrNull(raw['sender_id']),
    // Those of a device that are not in use are all set alike.
    legs: isEnabled ? legs : sharedValue(legs),
  };
}
