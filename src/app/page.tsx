import type { Metadata } from 'next';
import { PlansPage } from '@/ui/plans/plans-page';

export const metadata: Metadata = { title: 'Plans' };

export default function Page() {
  return <PlansPage />;
}
