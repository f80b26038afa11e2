import type { Metadata } from 'next';
import { LanesStage } from '@/ui/lanes/lanes-stage';

export const metadata: Metadata = { title: 'Lanes' };

export default async function Page({ params }: { params: Promise<{ planId: string }> }) {
  return <LanesStage planId={(await params).planId} />;
}
