import { createSocket } from 'node:dgram';
import { createHash } from 'node:crypto';
import { writeSap } from '../core/formats/sap';
import { writeSdp } from '../core/formats/sdp';
import { parseAddress } from '../core/network/address';
import type { StreamFormat } from '../core/streams/format';

/** A sender that has no registry and no interface to be asked by: it only announces its streams (SAP). */
export interface AnnouncerSpec {
  readonly id: string;
  readonly name: string;
  readonly address: string;
  readonly format: StreamFormat;
  readonly streams: readonly { readonly channels: number; readonly group: string }[];
}

interface AnnouncerOptions {
  /**
   * Where announcements are sent. There is no multicast on the loopback network: the fabric hands them to who listens, as a
   * switch would.
   */
  readonly to: { readonly address: string; readonly port: number };
  readonly periodMs: number;
}

export class Announcer {
  isPlugged = false;
  private timer: NodeJS.Timeout | null = null;

  constructor(
    readonly spec: AnnouncerSpec,
    private readonly options: AnnouncerOptions,
  ) {}

  plug(): void {
    if (this.isPlugged) return;
    this.isPlugged = true;
    this.send('announce');
    this.timer = setInterval(() => this.send('announce'), this.options.periodMs);
  }

  /** Switched off as it should be: it takes its announcements back. */
  unplug(): void {
    if (!this.isPlugged) return;
    this.isPlugged = false;
    if (this.timer) clearInterval(this.timer);
    this.timer = null;
    this.send('delete');
  }

  private send(kind: 'announce' | 'delete'): void {
    const { spec, options } = this;
    const socket = createSocket('udp4');
    socket.on('error', () => socket.close());
    socket.bind(0, spec.address, () => {
      let left = spec.streams.length;
      spec.streams.forEach((_, n) => {
        const payload = this.sdpOf(n);
        const messageIdHash = parseInt(createHash('sha1').update(payload).digest('hex').slice(0, 4), 16) || 1;
        const packet = writeSap({ kind, messageIdHash, payload }, parseAddress(spec.address) as number);
        socket.send(packet, options.to.port, options.to.address, () => {
          left -= 1;
          if (left === 0) socket.close();
        });
      });
    });
  }

  private sdpOf(n: number): string {
    const { name, address, format, streams } = this.spec;
    const { channels, group } = streams[n] as AnnouncerSpec['streams'][number];
    return writeSdp({
      name: `${name} stream ${n + 1}`,
      origin: { username: '-', sessionId: String(7000 + n), version: 1, address },
      payloadType: 97,
      format,
      channels,
      mediaClockOffset: 0,
      referenceClock: `localmac=02-00-00-00-${createHash('sha1').update(this.spec.id).digest('hex').slice(0, 2).toUpperCase()}-01`,
      channelOrder: null,
      legs: [{ mid: null, group, ttl: 32, port: 5004, sourceAddress: address }],
    });
  }
}
