import type { Metadata } from 'next';
import { SlotsStage } from '@/ui/slots/slots-stage';

export const metadata: Metadata = { title: 'Slot buses' };

export default function Page() {
  return <SlotsStage />;
}
