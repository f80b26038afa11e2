import { DEVICE_PATCH_MAX_BYTES } from './device-patch-list';
import { SOCKET_LIST_MAX_BYTES } from './socket-list';
import { NETWORK_COLUMNS, NETWORK_CSV_MAX_BYTES } from './network-csv';
import { NMOS_JSON_MAX_BYTES } from './nmos-json';
import { PATCH_COLUMNS, PATCH_MAX_BYTES } from './patch-list';
import { PLAN_FILE_MAX_BYTES } from './plan-file';
import { isZip, readZip, ZIP_MAX_BYTES } from './zip';

/** One session description as it came: from a file, or out of an archive. */
export interface SdpSource {
  readonly name: string;
  readonly text: string;
}

/** What a file turned out to be, by what is in it: names and endings are not asked. */
export type Recognised =
  | {
      readonly kind: 'plan' | 'nmos' | 'patch-list' | 'socket-list' | 'device-patch' | 'network-table';
      readonly name: string;
      readonly text: string;
    }
  | {
      /** One, or all that an archive holds. */
      readonly kind: 'sdp';
      readonly name: string;
      readonly sources: readonly SdpSource[];
      /** Files of the archive that are none, or are not sound. */
      readonly unread: readonly { readonly name: string; readonly problem: string }[];
    }
  | { readonly kind: 'unknown'; readonly name: string; readonly problem: string };

export const SDP_MAX_BYTES = 64_000;
/** Nothing larger than this is ever looked into. */
export const IMPORT_MAX_BYTES = Math.max(PLAN_FILE_MAX_BYTES, ZIP_MAX_BYTES, NMOS_JSON_MAX_BYTES, PATCH_MAX_BYTES);

const megabytes = (bytes: number) => (bytes < 1e6 ? `${Math.floor(bytes / 1e3)} kB` : `${Math.floor(bytes / 1e6)} MB`);

/**
 * Tells what a file is: a plan, resources of IS-04, session descriptions (one, or a zip archive of them), a patch list or a
 * table of the network. What it cannot be used for is said, with why. Reads no further than it has to.
 */
export function recognise(name: string, bytes: Uint8Array): Recognised {
  const no = (problem: string): Recognised => ({ kind: 'unknown', name, problem });
  const tooLarge = (limit: number) => no(`the file is larger than ${megabytes(limit)}`);
  const within = (limit: number, found: Recognised) => (bytes.length > limit ? tooLarge(limit) : found);
  if (bytes.length === 0) return no('the file is empty');
  if (isZip(bytes)) return bytes.length > ZIP_MAX_BYTES ? tooLarge(ZIP_MAX_BYTES) : sdpOfArchive(name, bytes);
  if (bytes.length > IMPORT_MAX_BYTES) return tooLarge(IMPORT_MAX_BYTES);
  const text = utf8(bytes);
  if (text === null || text.includes('\u0000')) return no('the file is not text in UTF-8');
  const start = text.replace(/^\uFEFF/, '').trimStart();
  if (isSdp(start)) return within(SDP_MAX_BYTES, { kind: 'sdp', name, sources: [{ name, text: start }], unread: [] });
  if (start.startsWith('{') || start.startsWith('[')) {
    const isPlan = /"format"\s*:\s*"jade-lane-plan"/.test(start);
    return isPlan
      ? within(PLAN_FILE_MAX_BYTES, { kind: 'plan', name, text: start })
      : within(NMOS_JSON_MAX_BYTES, { kind: 'nmos', name, text: start });
  }
  const columns = new Set(
    (start.split(/\r\n|\n|\r/, 1)[0] ?? '').split(/[,;\t]/).map((c) => c.trim().replace(/^"|"$/g, '').toLowerCase()),
  );
  if (columns.has('receiver')) return within(PATCH_MAX_BYTES, { kind: 'patch-list', name, text });
  if (columns.has('terminal')) return within(SOCKET_LIST_MAX_BYTES, { kind: 'socket-list', name, text });
  if (columns.has('output') && columns.has('from')) {
    return within(DEVICE_PATCH_MAX_BYTES, { kind: 'device-patch', name, text });
  }
  if (columns.has('device')) return within(NETWORK_CSV_MAX_BYTES, { kind: 'network-table', name, text });
  return no(
    `it is not a session description or JSON, and its first line names no column “${PATCH_COLUMNS[0]}” (a patch list) or “${NETWORK_COLUMNS[0]}” (a table of the network)`,
  );
}

/** As recognise, for files that were chosen as session descriptions: whatever is not an archive is taken for one. */
export function recogniseSdp(name: string, bytes: Uint8Array): Recognised {
  if (isZip(bytes)) return recognise(name, bytes);
  if (bytes.length > SDP_MAX_BYTES) {
    return { kind: 'unknown', name, problem: `the file is larger than ${megabytes(SDP_MAX_BYTES)}` };
  }
  const text = utf8(bytes);
  return text === null
    ? { kind: 'unknown', name, problem: 'the file is not text in UTF-8' }
    : { kind: 'sdp', name, sources: [{ name, text }], unread: [] };
}

/** RFC 8866 clause 5.1: a description begins with its version. */
const isSdp = (text: string) => /^v=0\s*(\r|\n)/.test(text);

function utf8(bytes: Uint8Array): string | null {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return null;
  }
}

function sdpOfArchive(name: string, bytes: Uint8Array): Recognised {
  const { files, problems } = readZip(bytes);
  const sources: SdpSource[] = [];
  const unread = problems.map((p) => ({ name: p.name === '' ? name : p.name, problem: p.problem }));
  for (const file of files) {
    const text = file.bytes.length > SDP_MAX_BYTES ? null : utf8(file.bytes);
    if (text !== null && isSdp(text)) sources.push({ name: file.name, text });
    else unread.push({ name: file.name, problem: 'is not a session description' });
  }
  if (sources.length > 0) return { kind: 'sdp', name, sources, unread };
  const why = unread[0] === undefined ? '' : `: ${unread[0].name} ${unread[0].problem}`;
  return { kind: 'unknown', name, problem: `the archive holds no session description${why}` };
}
