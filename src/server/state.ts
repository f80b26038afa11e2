import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { openDatabase, type OpenedDatabase } from '../store/database';
import { DatabaseInUse } from '../store/database-lock';
import { EventStore } from '../store/event-store';
import { DeviceRunStore } from '../store/device-run-store';
import { FieldPlaceStore } from '../store/field-place-store';
import { ModelLibrary } from '../store/model-library';
import { PlanStore } from '../store/plan-store';
import { AnnouncementListener } from '../field/announcements';
import type { AddressTranslation } from '../field/binding';
import { FieldFollower } from '../field/follower';
import type { FieldNews } from '../field/field-snapshot';
import { nameOf, sourceOf } from '../field/field-source';
import { NodeList } from '../field/node-list';
import { hostOf, ReachableHosts } from '../field/reachable-hosts';
import { steadyNow } from '../field/steady-clock';
import { setTrust } from '../field/trust';
import { OwnRegistry } from '../registry/own-registry';
import { DeviceRuns } from './device-runs';
import { FieldPlacesKeeper } from './field-places-keeper';
import { logger } from './logger';
import { RequestProblem, storageWords } from './problem';
import { SendQueue } from './send-queue';
import { settings } from './settings';
import { TimedSends } from './timed-sends';

/** What lives as long as the process. Route handlers and instrumentation are bundled apart, so it is kept on globalThis. */
export interface ServerState {
  readonly store: PlanStore;
  /** Where all of it is. */
  readonly databaseFile: string;
  /** Models kept beside the plans. */
  readonly library: ModelLibrary;
  /** What happened in the field. */
  readonly events: EventStore;
  /** Null: no registry is set up and no node was typed in. */
  readonly follower: FieldFollower | null;
  /** Null: nothing is listened for. */
  readonly announcements: AnnouncementListener | null;
  /** Device discovery. */
  readonly places: FieldPlacesKeeper;
  /** Which plan runs which device. */
  readonly runs: DeviceRuns;
  readonly translation: AddressTranslation | null;
  readonly restconfPort: number | null;
  /** What is being sent, and by its id whether each is to be stopped. */
  readonly sending: { readonly queue: SendQueue; readonly stopped: Map<string, boolean>; readonly timed: TimedSends };
  /** Called with the plan of which sends wait for their moment, or no longer do. */
  readonly onTimedSends: Set<(planId: string) => void>;
  /** Called whenever anything in the field may have changed. */
  readonly onFieldNews: Set<(news: FieldNews) => void>;
  /** Throws what keeps the database from being used. */
  readonly checkStorage: () => void;
  readonly startedAt: number;
  readonly close: () => void;
  /** What ends with it. */
  readonly onClose: Set<() => void>;
}

const NO_NODES: FieldNews = { nodes: new Set() };

const holder = globalThis as typeof globalThis & {
  jadeLane?: ServerState;
  /** Why the database could not be opened, and when that was tried. */
  jadeLaneFault?: { readonly at: number; readonly problem: RequestProblem };
};

/** A database that cannot be opened is tried again, but not for every request. */
const OPEN_AGAIN_MS = 1000;

/** What the process has opened. Throws a problem with status 503 while the database cannot be used. */
export function serverState(): ServerState {
  if (holder.jadeLane !== undefined) return holder.jadeLane;
  const fault = holder.jadeLaneFault;
  if (fault !== undefined && steadyNow() - fault.at < OPEN_AGAIN_MS) throw fault.problem;
  try {
    holder.jadeLane = openState();
    delete holder.jadeLaneFault;
    return holder.jadeLane;
  } catch (error) {
    const problem = openProblem(error);
    logger.error({ err: error, dataFolder: settings().dataFolder }, problem.message);
    holder.jadeLaneFault = { at: steadyNow(), problem };
    throw problem;
  }
}

function openProblem(error: unknown): RequestProblem {
  const words =
    error instanceof DatabaseInUse
      ? 'Another Jade Lane is running on this database. Stop that one, or give this one a data folder of its own'
      : (storageWords(error) ?? 'The database could not be opened. The log has the reason');
  return new RequestProblem(503, 'storage', `${words}.`);
}

/** Ends everything that goes on by itself, and gives the database back. */
export function closeServer(): void {
  holder.jadeLane?.close();
  delete holder.jadeLane;
  delete holder.jadeLaneFault;
}

function openState(): ServerState {
  const { dataFolder, registryUrl, discovery, nodeUrls, networks, deviceHosts, host, port, ...rest } = settings();
  const { translation, restconfPort, announcementPlaces, describedAt, authorityFile, tokens } = rest;
  setTrust({
    authority: authorityFile === null ? null : readFileSync(authorityFile, 'utf8'),
    tokens,
    own: { host, port },
  });
  const databaseFile = join(dataFolder, 'plans.sqlite');
  const database = openDatabase(databaseFile, join(process.cwd(), 'src/store/migrations'));
  const onClose = new Set<() => void>();
  const onTimedSends = new Set<(planId: string) => void>();
  const onFieldNews = new Set<(news: FieldNews) => void>();
  const fieldChanged = (news: FieldNews) => {
    for (const tell of [...onFieldNews]) {
      try {
        tell(news);
      } catch (error) {
        // One that fails must not keep news from the others.
        onFieldNews.delete(tell);
        logger.error({ err: error }, 'a listener to the field failed, and gets nothing more');
      }
    }
  };
  const names = [...deviceHosts, ...nodeUrls.flatMap((url) => hostOf(url) ?? [])];
  const hosts = new ReachableHosts({ networks, names, registryUrl, own: { host, port } });
  const ownRegistry = rest.ownRegistry === null ? null : new OwnRegistry(rest.ownRegistry);
  const nodes = new NodeList(nodeUrls);
  const announcements = new AnnouncementListener(
    announcementPlaces,
    () => fieldChanged(NO_NODES),
    undefined,
    describedAt,
  );
  // By multicast where adapters were chosen, and by the usual route else.
  const multicastFrom = () => places.usedAddresses();
  const sources = { registryUrl, discovery, nodes, multicastFrom };
  const name = () => nameOf(sources) ?? 'nothing';
  const follower = new FieldFollower(name, fieldChanged, hosts, undefined, sourceOf(sources));
  const places = new FieldPlacesKeeper(new FieldPlaceStore(database.db), nodes, hosts, (change) => {
    if (change.hosts !== undefined) follower.setNamedHosts('the page', change.hosts);
    if (change.adapters !== undefined) {
      follower.useAdapters(change.adapters);
      announcements.listenAlsoAt(places.usedAddresses());
    }
    fieldChanged(NO_NODES);
  });
  const state = {
    ...storesOf(database),
    databaseFile,
    get follower() {
      return nameOf(sources) === null ? null : follower;
    },
    get announcements() {
      return announcements.isListening ? announcements : null;
    },
    places,
    runs: new DeviceRuns(new DeviceRunStore(database.db), () => fieldChanged(NO_NODES)),
    translation,
    restconfPort,
    sending: {
      queue: new SendQueue(),
      stopped: new Map(),
      timed: new TimedSends((planId) => onTimedSends.forEach((tell) => tell(planId))),
    },
    onTimedSends,
    onFieldNews,
    startedAt: Date.now(),
    onClose,
    close: () => {
      for (const end of onClose) end();
      follower.stop();
      announcements.stop();
      void ownRegistry?.stop();
      database.close();
    },
  };
  state.store.dropUnfinished();
  ownRegistry?.start().then(
    () => {
      const { unannouncedBecause } = ownRegistry;
      if (unannouncedBecause !== null) logger.warn({ reason: unannouncedBecause }, 'the registry is not announced');
    },
    (error: unknown) => logger.error({ err: error }, 'the registry of this server could not be started'),
  );
  places.begin();
  follower.start();
  announcements.start();
  logger.info({ dataFolder, field: nameOf(sources) }, 'ready');
  return state;
}

const storesOf = ({ db, check }: OpenedDatabase) => ({
  store: new PlanStore(db),
  library: new ModelLibrary(db),
  events: new EventStore(db),
  checkStorage: check,
});
