import { oneOf, record } from '../plan/shape';
import { ENCODINGS, PACKET_TIMES_US, RATES_HZ } from './format';

export const streamFormat = record({
  encoding: oneOf(ENCODINGS),
  rateHz: oneOf(RATES_HZ),
  packetTimeUs: oneOf(PACKET_TIMES_US),
});
