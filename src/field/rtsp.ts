import { connect } from 'node:net';
import { errorWords } from '../core/formats/error-words';

/**
 * Sessions that their senders describe when they are asked: RTSP 1.0, DESCRIBE (RFC 2326 clause 10.2), which AES67 allows beside SAP. Only that is
 * asked: a sender of AES67 sends whether anybody sets anything up or not.
 */

const RTSP_PORT = 554;
const TIMEOUT_MS = 3_000;
const ANSWER_MAX_BYTES = 128 * 1024;

export interface RtspPlace {
  /** As it is asked for: `rtsp://10.20.0.40/by-name/main`. */
  readonly url: string;
  readonly address: string;
  readonly port: number;
}

/** Null: it is no address of RTSP with an IPv4 host. */
export function parseRtspUrl(text: string): RtspPlace | null {
  const match = /^rtsp:\/\/(\d{1,3}(?:\.\d{1,3}){3})(?::(\d{1,5}))?(\/[\x21-\x7e]*)?$/i.exec(text.trim());
  if (match === null) return null;
  const port = Number(match[2] ?? RTSP_PORT);
  return port < 1 || port > 65_535 ? null : { url: text.trim(), address: match[1] as string, port };
}

/** The description of a session as its sender gives it. Throws what went wrong; `gone` where the sender says that there is none. */
export function describe({ url, address, port }: RtspPlace): Promise<string> {
  return new Promise((resolve, reject) => {
    const socket = connect({ host: address, port });
    const chunks: Buffer[] = [];
    let size = 0;
    const end = (finish: () => void) => {
      clearTimeout(timer);
      socket.destroy();
      finish();
    };
    const timer = setTimeout(() => end(() => reject(new Error('no answer'))), TIMEOUT_MS);
    const fail = (why: string) => end(() => reject(new Error(why)));
    socket.on('error', (error: Error) => fail(errorWords(error)));
    socket.on('connect', () => {
      socket.write(`DESCRIBE ${url} RTSP/1.0\r\nCSeq: 1\r\nAccept: application/sdp\r\nUser-Agent: Jade Lane\r\n\r\n`);
    });
    socket.on('data', (chunk: Buffer) => {
      chunks.push(chunk);
      size += chunk.byteLength;
      if (size > ANSWER_MAX_BYTES) return fail('the answer is too long');
      try {
        const read = readAnswer(Buffer.concat(chunks));
        if (read !== null) end(() => resolve(read));
      } catch (error) {
        end(() => reject(error as Error));
      }
    });
    socket.on('close', () => fail('the connection ended before the answer'));
  });
}

/** The body of an answer; null: there is more to come. */
function readAnswer(answer: Buffer): string | null {
  const headEnd = answer.indexOf('\r\n\r\n');
  if (headEnd < 0) return null;
  const [status = '', ...lines] = answer.toString('latin1', 0, headEnd).split('\r\n');
  const code = /^RTSP\/1\.\d (\d{3})/.exec(status)?.[1];
  if (code === undefined) throw new Error('the answer is not RTSP');
  if (code !== '200') throw new Error(`refused with ${code}`);
  const header = (name: string) =>
    lines
      .find((l) => l.toLowerCase().startsWith(`${name}:`))
      ?.slice(name.length + 1)
      .trim() ?? null;
  if (!/^application\/sdp\b/i.test(header('content-type') ?? '')) throw new Error('the answer is not SDP');
  const length = Number(header('content-length'));
  if (!Number.isInteger(length) || length < 0) throw new Error('the answer does not say how long it is');
  const body = answer.subarray(headEnd + 4);
  return body.byteLength < length ? null : body.subarray(0, length).toString('utf8');
}
