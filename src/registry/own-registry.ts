import { hostname } from 'node:os';
import { errorWords } from '../core/formats/error-words';
import { Registry } from './registry';
import { ServiceNames } from './service-names';

/** IS-04: a node that was not heard of for this long is forgotten. */
const EXPIRY_MS = 12_000;
/** IS-04 TXT record `pri`: below 100 is for production. In the middle, so that a registry that was put up for good can come first. */
const PRIORITY = 50;

/**
 * A registry for buildings that have none (IS-04 v1.2 and v1.3), announced by multicast DNS-SD on its adapter, so that nodes
 * find it by themselves. It keeps nothing: after a restart nodes register again within seconds.
 */
export class OwnRegistry {
  private readonly registry: Registry;
  private readonly names: ServiceNames;
  /** Why it is not announced; null: it is. Nodes can be told of it by hand all the same. */
  unannouncedBecause: string | null = 'not started yet';

  constructor({ address, port }: { readonly address: string; readonly port: number }) {
    this.registry = new Registry({ address, port, expiryMs: EXPIRY_MS });
    this.names = new ServiceNames({ domain: 'local', address });
    const common = { instance: `Jade Lane on ${hostname().split('.')[0] ?? ''}`, address, port };
    const txt = { api_proto: 'http', api_auth: 'false', pri: String(PRIORITY) };
    this.names.services = [
      { ...common, service: '_nmos-register._tcp', txt: { ...txt, api_ver: 'v1.2,v1.3' } },
      // The name that IS-04 v1.2 and earlier have for it.
      { ...common, service: '_nmos-registration._tcp', txt: { ...txt, api_ver: 'v1.2' } },
      { ...common, service: '_nmos-query._tcp', txt: { ...txt, api_ver: 'v1.2,v1.3' } },
    ];
  }

  /** Throws where the address or port cannot be had. */
  async start(): Promise<void> {
    await this.registry.start();
    try {
      await this.names.start();
      this.unannouncedBecause = null;
    } catch (error) {
      this.unannouncedBecause = errorWords(error);
    }
  }

  async stop(): Promise<void> {
    await Promise.all([this.registry.stop(), this.names.stop()]);
  }
}
