import type { Metadata } from 'next';
import { GearStage } from '@/ui/gear/gear-stage';

export const metadata: Metadata = { title: 'Gear' };

export default function Page() {
  return <GearStage />;
}
