import type { Model } from '../models/models-table';
import { PLAIN_CLOCK, type ClockAbility } from './clock-ability';

/** A switch that takes part in PTP: it follows and passes on, and seldom should lead. */
const SWITCH_CLOCK: ClockAbility = {
  ...PLAIN_CLOCK,
  relays: 'boundary',
  profiles: ['aes67', 'st2059', 'common'],
  clockAccuracy: 0x25,
  whenReferenceLost: 'hold-over',
  holdoverSeconds: 60,
  relockMs: 2_000,
};

/** What a model does as a clock; null for one that keeps no PTP time (a switch that is no clock, a box with no media port). */
export function abilityOf(model: Model): ClockAbility | null {
  if (model.clock !== null) return model.clock;
  if (model.switching) return model.switching.timestamping === 'boundary' ? SWITCH_CLOCK : null;
  return model.ports.some((p) => p.role === 'A' || p.role === 'B') ? PLAIN_CLOCK : null;
}
