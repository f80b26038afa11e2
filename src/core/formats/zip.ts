import { FlateErrorCode, Unzip, UnzipInflate } from 'fflate';

/** One file of an archive that is sound. */
interface ZippedFile {
  readonly name: string;
  readonly bytes: Uint8Array;
}

interface ZipProblem {
  /** The file within the archive; empty: the archive as a whole. */
  readonly name: string;
  readonly problem: string;
}

interface ZipResult {
  readonly files: readonly ZippedFile[];
  readonly problems: readonly ZipProblem[];
}

interface ZipLimits {
  readonly files: number;
  readonly bytesPerFile: number;
  readonly bytesInAll: number;
}

/** Enough for the descriptions of a big house; far from filling a memory. */
export const ZIP_LIMITS: ZipLimits = { files: 2000, bytesPerFile: 20_000_000, bytesInAll: 60_000_000 };
export const ZIP_MAX_BYTES = 60_000_000;

const LOCAL_HEADER = [0x50, 0x4b, 0x03, 0x04];
const END_RECORD = [0x50, 0x4b, 0x05, 0x06];
const STEP = 65_536;

export function isZip(bytes: Uint8Array): boolean {
  return LOCAL_HEADER.every((octet, n) => bytes[n] === octet);
}

/**
 * Reads an archive piece by piece and counts what really comes out of it, so that one that says less than it holds, or holds
 * more than it should, is stopped in time. Folders are passed over; names are only shown, nothing is written anywhere.
 */
export function readZip(bytes: Uint8Array, limits: ZipLimits = ZIP_LIMITS): ZipResult {
  const whole = (problem: string): ZipResult => ({ files: [], problems: [{ name: '', problem }] });
  if (!isZip(bytes)) return whole('this is not a zip archive');
  const files: ZippedFile[] = [];
  const problems: ZipProblem[] = [];
  const open = new Set<string>();
  let seen = 0;
  let bytesInAll = 0;
  let stopped: string | null = null;
  let isSound = true;

  const unzip = new Unzip((file) => {
    seen += 1;
    const key = `${seen} ${file.name}`;
    if (file.name.endsWith('/')) return;
    if (seen > limits.files) {
      stopped = `it holds more than ${limits.files} files`;
      return;
    }
    const parts: Uint8Array[] = [];
    let size = 0;
    let isRefused = false;
    const refuse = (problem: string) => {
      if (!isRefused) problems.push({ name: file.name, problem });
      isRefused = true;
      open.delete(key);
    };
    file.ondata = (error, part, isLast) => {
      if (isRefused || stopped !== null) return;
      if (error) {
        return refuse(
          error.code === FlateErrorCode.UnknownCompressionMethod
            ? `its kind of compression (${file.compression}) is not one we read`
            : 'it is damaged, or locked with a password',
        );
      }
      size += part.length;
      bytesInAll += part.length;
      if (bytesInAll > limits.bytesInAll) stopped = `it unpacks to more than ${megabytes(limits.bytesInAll)}`;
      else if (size > limits.bytesPerFile) return refuse(`it unpacks to more than ${megabytes(limits.bytesPerFile)}`);
      if (part.length > 0) parts.push(part.slice());
      if (!isLast) return;
      open.delete(key);
      if (file.originalSize !== undefined && file.originalSize !== size) {
        return refuse(`it says ${file.originalSize} bytes and holds ${size}`);
      }
      files.push({ name: file.name, bytes: joined(parts, size) });
    };
    open.add(key);
    file.start();
  });
  unzip.register(UnzipInflate);
  try {
    for (let at = 0; at < bytes.length && stopped === null; at += STEP) {
      unzip.push(bytes.subarray(at, at + STEP), at + STEP >= bytes.length);
    }
  } catch {
    isSound = false;
  }
  if (stopped !== null) return whole(stopped);
  if (!isSound || !hasEnd(bytes)) problems.push({ name: '', problem: 'it ends too early, or is damaged' });
  for (const key of open) {
    problems.push({ name: key.slice(key.indexOf(' ') + 1), problem: 'the archive ends within it' });
  }
  return { files, problems };
}

/** The last record of an archive: it may be followed by a comment of up to 65,535 octets. */
function hasEnd(bytes: Uint8Array): boolean {
  for (let at = bytes.length - 22; at >= Math.max(0, bytes.length - 22 - 65_535); at -= 1) {
    if (END_RECORD.every((octet, n) => bytes[at + n] === octet)) return true;
  }
  return false;
}

const megabytes = (bytes: number) => (bytes >= 1e6 ? `${Math.floor(bytes / 1e6)} MB` : `${bytes} bytes`);

function joined(parts: readonly Uint8Array[], size: number): Uint8Array {
  const whole = new Uint8Array(size);
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.length;
  }
  return whole;
}
