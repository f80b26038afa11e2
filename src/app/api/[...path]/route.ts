import { serve } from '@/server/requests/serve';

/** Every request of the application: see server/requests. */
export const dynamic = 'force-dynamic';
export { serve as DELETE, serve as GET, serve as HEAD, serve as POST, serve as PUT };
