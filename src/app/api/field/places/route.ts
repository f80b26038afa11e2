import { readFieldPlaces } from '@/server/field-places';
import { respond } from '@/server/respond';

export const dynamic = 'force-dynamic';

/** Device discovery. */
export const GET = () => respond(readFieldPlaces);
