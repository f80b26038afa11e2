import type { Metadata } from 'next';
import { ClocksStage } from '@/ui/clocks/clocks-stage';

export const metadata: Metadata = { title: 'Clocks' };

export default function Page() {
  return <ClocksStage />;
}
