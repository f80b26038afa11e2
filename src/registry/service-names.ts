import { createSocket, type Socket } from 'node:dgram';
import packet, { type Answer, type Question } from 'dns-packet';

/** DNS-SD of the stand-ins: what they announce, by a name server of their own or by multicast (RFC 6762, RFC 6763). */

export interface AnnouncedService {
  /** `_nmos-query._tcp`. */
  readonly service: string;
  /** Its name within the service: `Harbour registry`. */
  readonly instance: string;
  readonly address: string;
  readonly port: number;
  readonly txt: Readonly<Record<string, string>>;
}

const TTL = 10;
const MULTICAST = '224.0.0.251';
const MULTICAST_PORT = 5353;

export class ServiceNames {
  private socket: Socket | null = null;
  services: readonly AnnouncedService[] = [];

  /** @param place a domain with the address and port that a name server answers on; or `local` and an adapter */
  constructor(
    private readonly place:
      | { readonly domain: string; readonly address: string; readonly port: number }
      | { readonly domain: 'local'; readonly address: string },
  ) {}

  async start(): Promise<void> {
    const socket = createSocket({ type: 'udp4', reuseAddr: true });
    this.socket = socket;
    const isMulticast = !('port' in this.place);
    const address = isMulticast ? undefined : this.place.address;
    const port = 'port' in this.place ? this.place.port : MULTICAST_PORT;
    await new Promise<void>((resolve, reject) => {
      socket.once('error', reject);
      socket.bind({ port, ...(address === undefined ? {} : { address }), exclusive: false }, () => resolve());
    });
    if (isMulticast) {
      socket.addMembership(MULTICAST, this.place.address);
      socket.setMulticastInterface(this.place.address);
      socket.setMulticastLoopback(true);
    }
    socket.on('message', (data, from) => {
      let query;
      try {
        query = packet.decode(data);
      } catch {
        return; // Not a message of DNS: nobody is owed an answer.
      }
      if (query.type !== 'query') return;
      const questions = query.questions ?? [];
      const answers = questions.flatMap((q) => this.answersTo(q));
      if (isMulticast && answers.length === 0) return;
      const answer = packet.encode({
        type: 'response',
        id: isMulticast ? 0 : (query.id ?? 0),
        flags: packet.AUTHORITATIVE_ANSWER | (answers.length === 0 ? 3 : 0),
        // Answers by multicast repeat no question (RFC 6762 clause 6).
        ...(isMulticast ? {} : { questions }),
        answers,
      });
      if (isMulticast) socket.send(answer, MULTICAST_PORT, MULTICAST);
      else socket.send(answer, from.port, from.address);
    });
  }

  stop(): Promise<void> {
    return new Promise((resolve) => (this.socket === null ? resolve() : this.socket.close(() => resolve())));
  }

  private answersTo({ name, type }: Question): Answer[] {
    const asked = name.toLowerCase();
    return this.services.flatMap(({ service, instance, address, port, txt }, n): Answer[] => {
      const serviceName = `${service}.${this.place.domain}`;
      const own = `${instance}.${serviceName}`;
      const host = `host-${n}-${address.replaceAll('.', '-')}.${this.place.domain}`;
      const records: Answer[] = [
        { type: 'PTR', name: serviceName, ttl: TTL, data: own },
        { type: 'SRV', name: own, ttl: TTL, data: { target: host, port, priority: 0, weight: 0 } },
        { type: 'TXT', name: own, ttl: TTL, data: Object.entries(txt).map(([k, v]) => `${k}=${v}`) },
        { type: 'A', name: host, ttl: TTL, data: address },
      ];
      return records.filter((r) => r.type === type && r.name.toLowerCase() === asked);
    });
  }
}
