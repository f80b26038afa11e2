import { redirect } from 'next/navigation';

export default async function Page({ params }: { params: Promise<{ planId: string }> }) {
  redirect(`/plans/${(await params).planId}/lanes`);
}
