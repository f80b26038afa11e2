import { statfsSync } from 'node:fs';
import { steadyNow } from '../field/steady-clock';
import { RequestProblem, storageWords } from './problem';
import { settings } from './settings';
import { serverState, type ServerState } from './state';

/** How the server is. Says what is wrong and what to do, and nothing of what is on it. */
interface Health {
  readonly isWell: boolean;
  readonly upSeconds: number | null;
  readonly storage: { readonly isWell: boolean; readonly problem: string | null };
  /** Null: no registry is followed. A registry that is away keeps nobody from planning, so it does not make the server unwell. */
  readonly registry: { readonly isConnected: boolean; readonly problem: string | null } | null;
}

/** With less room than this on the disk it is said before it is too late. */
const ROOM_MIN_BYTES = 64 * 1024 * 1024;

/** Whoever asks again sooner gets what was found then: anybody may ask, and each finding is a write. */
const LOOK_AGAIN_MS = 1000;
let looked: { readonly of: ServerState; readonly at: number } | null = null;

export function health(): Health {
  try {
    const server = serverState();
    const { checkStorage, startedAt, follower } = server;
    if (looked?.of !== server || steadyNow() - looked.at > LOOK_AGAIN_MS) {
      looked = null;
      checkStorage();
      looked = { of: server, at: steadyNow() };
    }
    const { bavail, bsize } = statfsSync(settings().dataFolder);
    const isFull = bavail * bsize < ROOM_MIN_BYTES;
    const field = follower?.snapshot() ?? null;
    return {
      isWell: !isFull,
      upSeconds: Math.floor((Date.now() - startedAt) / 1000),
      storage: {
        isWell: !isFull,
        problem: isFull ? 'The disk is nearly full. Make room in the data folder' : null,
      },
      registry: field && { isConnected: field.isConnected, problem: field.disconnectedBecause },
    };
  } catch (error) {
    const problem = error instanceof RequestProblem ? error.message : (storageWords(error) ?? 'The log has the reason');
    return { isWell: false, upSeconds: null, storage: { isWell: false, problem }, registry: null };
  }
}
