import { PlanFrame } from '@/ui/frame/plan-frame';

export default async function PlanLayout({
  children,
  params,
}: {
  children: React.ReactNode;
  params: Promise<{ planId: string }>;
}) {
  return <PlanFrame planId={(await params).planId}>{children}</PlanFrame>;
}
