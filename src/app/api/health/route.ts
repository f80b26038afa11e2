import { health } from '@/server/health';

export const dynamic = 'force-dynamic';

/** Whether the server can do its work, for whoever watches over it: 200, or 503 with what is wrong. */
export const GET = () => {
  const state = health();
  return Response.json(state, { status: state.isWell ? 200 : 503, headers: { 'cache-control': 'no-store' } });
};
