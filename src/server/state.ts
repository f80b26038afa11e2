import { join } from 'node:path';
import { openDatabase } from '../store/database';
import { EventStore } from '../store/event-store';
import { ModelLibrary } from '../store/model-library';
import { PlanStore } from '../store/plan-store';
import { AnnouncementListener, parseAnnouncementPlaces } from '../field/announcements';
import { parseTranslation, type AddressTranslation } from '../field/binding';
import { FieldFollower, type FieldNews } from '../field/follower';
import { logger } from './logger';
import { SendQueue } from './send-queue';

/**
 * What lives as long as the process. Route handlers and instrumentation are bundled apart, so it is kept on globalThis.
 * Settings come from the environment: JADE_DATA (folder of the database), JADE_REGISTRY (Query API of an IS-04 registry,
 * none: no field), JADE_TRANSLATE (e.g. `10.=127.`: how plan addresses look where the devices are), JADE_RESTCONF_PORT (the
 * port on which switches answer RESTCONF; none: switches are not asked), JADE_SAP (addresses of adapters, with commas between,
 * on which session announcements are listened for; none: nowhere).
 */
export interface ServerState {
  readonly store: PlanStore;
  /** Models kept beside the plans. */
  readonly library: ModelLibrary;
  /** What happened in the field. */
  readonly events: EventStore;
  readonly follower: FieldFollower | null;
  readonly announcements: AnnouncementListener | null;
  readonly translation: AddressTranslation | null;
  readonly restconfPort: number | null;
  /** What is being sent, and by its id whether each is to be stopped. */
  readonly sending: { readonly queue: SendQueue; readonly stopped: Map<string, boolean> };
  /** Told whenever anything in the field may have changed. */
  readonly onFieldNews: Set<(news: FieldNews) => void>;
}

const NO_NODES: FieldNews = { nodes: new Set() };

const holder = globalThis as typeof globalThis & { jadeLane?: ServerState };

export function serverState(): ServerState {
  if (holder.jadeLane === undefined) {
    const dataFolder = process.env['JADE_DATA'] ?? join(process.cwd(), 'data');
    const db = openDatabase(join(dataFolder, 'plans.sqlite'), join(process.cwd(), 'src/store/migrations'));
    const onFieldNews = new Set<(news: FieldNews) => void>();
    const registryUrl = process.env['JADE_REGISTRY'];
    const fieldChanged = (news: FieldNews) => {
      for (const tell of onFieldNews) tell(news);
    };
    const follower = registryUrl ? new FieldFollower(registryUrl.replace(/\/$/, ''), fieldChanged) : null;
    const announcedAt = parseAnnouncementPlaces(process.env['JADE_SAP']);
    const announcements =
      announcedAt.length > 0 ? new AnnouncementListener(announcedAt, () => fieldChanged(NO_NODES)) : null;
    holder.jadeLane = {
      store: new PlanStore(db),
      library: new ModelLibrary(db),
      events: new EventStore(db),
      follower,
      announcements,
      translation: parseTranslation(process.env['JADE_TRANSLATE']),
      restconfPort: Number(process.env['JADE_RESTCONF_PORT']) || null,
      sending: { queue: new SendQueue(), stopped: new Map() },
      onFieldNews,
    };
    follower?.start();
    announcements?.start();
    logger.info({ dataFolder, registryUrl: registryUrl ?? null }, 'ready');
  }
  return holder.jadeLane;
}
