import type { Metadata } from 'next';
import { PatchStage } from '@/ui/patch/patch-stage';

export const metadata: Metadata = { title: 'Device patch' };

export default function Page() {
  return <PatchStage />;
}
