import type { Way } from '../network/topology';
import { packetTimeNs, type StreamFormat } from '../streams/format';
import { addend, result, type Term } from '../units/working';

/** AES67 clause 7.5: receivers buffer at least three packet times. */
const BUFFERED_PACKETS = 3;

/** The network part of a lane's delay: a fixed link offset, inside which packet time, transit and jitter must fit. */
export interface LinkOffset {
  readonly offsetNs: number;
  readonly neededNs: number;
  /** What is left of the offset; below zero packets come too late to be heard. */
  readonly marginNs: number;
}

/** The offset that a receiver runs at: what was set on it, else what its model and three packet times ask for. */
export function offsetInForce(format: StreamFormat, modelMinNs: number, setNs: number | null): number {
  return setNs ?? Math.max(modelMinNs, BUFFERED_PACKETS * packetTimeNs(format.rateHz, format.packetTimeUs));
}

/**
 * Packet time (a packet leaves when its last sample is in) + transit on the slower leg + one packet time of sender
 * jitter, which AES67 clause 7.5 prefers.
 */
export function linkOffset(format: StreamFormat, offsetNs: number, transitNs: number): LinkOffset {
  const packetNs = packetTimeNs(format.rateHz, format.packetTimeUs);
  const neededNs = Math.round(2 * packetNs + transitNs);
  return { offsetNs, neededNs, marginNs: offsetNs - neededNs };
}

/** Worst-case time through the network of a packet of so many octets on the wire. */
export function transitOf(way: Way, wireBytes: number): number {
  return way.fixedNs + way.nsPerBit * wireBytes * 8;
}

/** The working of a link offset, for the reckoning panel. */
export function linkOffsetTerms(format: StreamFormat, offset: LinkOffset): Term[] {
  const packetNs = packetTimeNs(format.rateHz, format.packetTimeUs);
  return [
    addend('packetTime', packetNs, 'ns'),
    addend('transit', offset.neededNs - 2 * packetNs, 'ns'),
    addend('senderJitter', packetNs, 'ns'),
    result('needed', offset.neededNs, 'ns'),
    result('linkOffset', offset.offsetNs, 'ns'),
    result('margin', offset.marginNs, 'ns'),
  ];
}
