/**
 * The working behind a number: named terms with values and units, in the order in which they are added up or multiplied.
 * The core returns these as data; the interface words them.
 */
export type Unit = 'B' | 'bit/s' | 'packet/s' | 'ns' | 'ch' | 'sample' | 'Hz' | 'B/sample' | 'stream' | 'hop' | 'm';

/** Every term there is. The interface has words for each: one without does not compile. */
export type TermName =
  | 'announce'
  | 'bytesPerSample'
  | 'channels'
  | 'clockMessages'
  | 'control'
  | 'delayRequests'
  | 'ethernetHeaderAndCheck'
  | 'ipv4Header'
  | 'linkLoad'
  | 'linkOffset'
  | 'linkSpeed'
  | 'load'
  | 'margin'
  | 'mediaLoad'
  | 'needed'
  | 'onTheWire'
  | 'packetTime'
  | 'packetsPerSecond'
  | 'padding'
  | 'payload'
  | 'preambleAndGap'
  | 'ptp'
  | 'querierLoad'
  | 'floodedLoad'
  | 'rtpHeader'
  | 'samplesPerPacket'
  | 'sap'
  | 'senderJitter'
  | 'syncAndFollowUp'
  | 'transit'
  | 'udpHeader'
  | 'usable'
  | 'vlanTag';

export interface Term {
  readonly name: TermName;
  readonly value: number;
  readonly unit: Unit;
  /** How this term enters the sum: a factor of a product, an addend, or a result of the terms above it. */
  readonly role: 'factor' | 'addend' | 'result';
  /** What the term is about where the name alone does not say, e.g. the name of a switch. */
  readonly about?: string;
}

export const factor = (name: TermName, value: number, unit: Unit): Term => ({ name, value, unit, role: 'factor' });
export const addend = (name: TermName, value: number, unit: Unit, about?: string): Term =>
  about === undefined ? { name, value, unit, role: 'addend' } : { name, value, unit, role: 'addend', about };
export const result = (name: TermName, value: number, unit: Unit): Term => ({ name, value, unit, role: 'result' });
