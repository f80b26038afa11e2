import type { Metadata } from 'next';
import { NetworkStage } from '@/ui/network/network-stage';

export const metadata: Metadata = { title: 'Network' };

export default function Page() {
  return <NetworkStage />;
}
