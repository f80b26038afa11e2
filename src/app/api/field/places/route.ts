import { readFieldPlaces } from '@/server/field-places';
import { respond } from '@/server/respond';

export const dynamic = 'force-dynamic';

/** Where devices are looked for. */
export const GET = () => respond(readFieldPlaces);
