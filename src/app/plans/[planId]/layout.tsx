import { PlanFrame } from '@/ui/frame/plan-frame';
import { DrawingAhead } from '@/ui/network/drawing-ahead';

export default async function PlanLayout({
  children,
  params,
}: {
  children: React.ReactNode;
  params: Promise<{ planId: string }>;
}) {
  const { planId } = await params;
  return (
    <PlanFrame planId={planId}>
      {children}
      <DrawingAhead planId={planId} />
    </PlanFrame>
  );
}
