import { createServer, type Server, type Socket } from 'node:net';

/** A sender that describes its sessions when it is asked (RTSP 1.0, DESCRIBE), and by nothing else. */
export class Describer {
  /** By path: `/by-name/main`. */
  readonly sessions = new Map<string, string>();
  private readonly sockets = new Set<Socket>();
  private readonly server: Server = createServer((socket) => {
    this.sockets.add(socket);
    let text = '';
    socket.on('error', () => undefined);
    socket.on('close', () => this.sockets.delete(socket));
    socket.on('data', (chunk) => {
      text += chunk.toString('utf8');
      const end = text.indexOf('\r\n\r\n');
      if (end < 0) return;
      socket.write(this.answer(text.slice(0, end)));
      text = text.slice(end + 4);
    });
  });

  constructor(
    private readonly address: string,
    private readonly port: number,
  ) {}

  start(): Promise<void> {
    return new Promise((resolve, reject) => {
      this.server.once('error', reject);
      this.server.listen(this.port, this.address, () => resolve());
    });
  }

  stop(): Promise<void> {
    for (const socket of this.sockets) socket.destroy();
    return new Promise((resolve) => this.server.close(() => resolve()));
  }

  /** As strict as RFC 2326: a request has a version and a CSeq (clause 12.17), and says that it takes SDP where it says anything. */
  private answer(request: string): string {
    const [line = '', ...lines] = request.split('\r\n');
    const header = (name: string) =>
      lines
        .find((l) => l.toLowerCase().startsWith(`${name}:`))
        ?.split(':')[1]
        ?.trim();
    const sequence = header('cseq');
    const say = (status: string, body = '', type = '') =>
      [
        `RTSP/1.0 ${status}`,
        ...(sequence === undefined ? [] : [`CSeq: ${sequence}`]),
        ...(body === '' ? [] : [`Content-Type: ${type}`, `Content-Length: ${Buffer.byteLength(body)}`]),
        '',
        body,
      ].join('\r\n');
    const match = /^(\S+) (rtsp:\/\/\S+) RTSP\/1\.0$/.exec(line);
    if (match === null || sequence === undefined || !/^\d+$/.test(sequence)) return say('400 Bad Request');
    if (match[1] !== 'DESCRIBE') return say('405 Method Not Allowed');
    const accept = header('accept');
    if (accept !== undefined && !accept.includes('application/sdp')) return say('406 Not Acceptable');
    const sdp = this.sessions.get(new URL(match[2] as string).pathname);
    return sdp === undefined ? say('404 Not Found') : say('200 OK', sdp, 'application/sdp');
  }
}
