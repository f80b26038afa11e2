import { ArrowRightLeft, Cable, Clock, Network, Server, type LucideIcon } from 'lucide-react';
import type { Stage } from '@/core/findings/finding';

/** The stages that exist, in the order of the work. */
export const STAGES: readonly { readonly id: Stage; readonly title: string; readonly Icon: LucideIcon }[] = [
  { id: 'gear', title: 'Gear', Icon: Server },
  { id: 'network', title: 'Network', Icon: Network },
  { id: 'clocks', title: 'Clocks', Icon: Clock },
  { id: 'lanes', title: 'Lanes', Icon: ArrowRightLeft },
  { id: 'slots', title: 'Slot buses', Icon: Cable },
];
