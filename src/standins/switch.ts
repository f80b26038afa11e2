import type { Server } from 'node:http';
import type { PlanFile } from '../core/formats/plan-file';
import { loopbackAddress } from './fleet';
import { close, httpServer, listen, route, type Response } from '../registry/http';

/** What one stand-in for a switch plays: its sockets and what is in them. */
interface SwitchSpec {
  readonly id: string;
  readonly name: string;
  readonly addresses: readonly string[];
  readonly ports: readonly { readonly name: string; readonly bitsPerSecond: number; readonly isUsed: boolean }[];
}

/** Every switch of the plan that has an address. */
export function switchesOfPlan(file: PlanFile): SwitchSpec[] {
  const models = new Map(file.models.map((m) => [m.id, m]));
  return file.devices.flatMap((device): SwitchSpec[] => {
    const model = models.get(device.modelId);
    if (!model?.switching) return [];
    const addresses = file.interfaces
      .filter((i) => i.deviceId === device.id && i.name === 'control' && i.address !== null)
      .flatMap((i) => loopbackAddress(i.address as string) ?? []);
    if (addresses.length === 0) return [];
    const links = new Map<string, number>();
    for (const link of file.links) {
      for (const end of [link.from, link.to]) if (end.deviceId === device.id) links.set(end.port, link.bitsPerSecond);
    }
    const ports = model.ports.map((p) => ({
      name: p.name,
      bitsPerSecond: links.get(p.name) ?? p.bitsPerSecond,
      isUsed: links.has(p.name),
    }));
    return [{ id: device.id, name: device.name, addresses, ports }];
  });
}

const YANG = 'application/yang-data+json';
const ROOT = '/restconf';
const startedAt = new Date().toISOString();

/** A switch that tells about its sockets over RESTCONF (RFC 8040) by the models of RFC 8343 and IEEE 802.3.2. */
export class StandinSwitch {
  private servers: Server[] = [];
  /** What a hand did: sockets that came up slower, or in half duplex. */
  private readonly comeUp = new Map<string, { bitsPerSecond: number; duplex: 'full' | 'half' }>();

  constructor(
    readonly spec: SwitchSpec,
    private readonly port: number,
  ) {}

  async plug(): Promise<void> {
    if (this.servers.length > 0) return;
    for (const address of this.spec.addresses) {
      const server = httpServer({ routes: () => this.routes() });
      await listen(server, address, this.port);
      this.servers.push(server);
    }
  }

  async unplug(): Promise<void> {
    const servers = this.servers;
    this.servers = [];
    await Promise.all(servers.map((s) => close(s)));
  }

  /** A socket comes up otherwise than it should; as planned again when nothing is given. */
  bringUp(port: string, as: { bitsPerSecond: number; duplex: 'full' | 'half' } | null): boolean {
    if (!this.spec.ports.some((p) => p.name === port)) return false;
    if (as === null) this.comeUp.delete(port);
    else this.comeUp.set(port, as);
    return true;
  }

  private interfaceOf(name: string): object | null {
    const index = this.spec.ports.findIndex((p) => p.name === name);
    const port = this.spec.ports[index];
    if (port === undefined) return null;
    const as = this.comeUp.get(name) ?? { bitsPerSecond: port.bitsPerSecond, duplex: 'full' };
    return {
      name,
      type: 'iana-if-type:ethernetCsmacd',
      'admin-status': 'up',
      'oper-status': port.isUsed ? 'up' : 'down',
      'if-index': index + 1,
      ...(port.isUsed ? { speed: String(as.bitsPerSecond) } : {}),
      statistics: { 'discontinuity-time': startedAt },
      ...(port.isUsed
        ? { 'ieee802-ethernet-interface:ethernet': { duplex: as.duplex, speed: (as.bitsPerSecond / 1e9).toFixed(3) } }
        : {}),
    };
  }

  private routes() {
    const data = (body: unknown): Response => ({ status: 200, type: YANG, text: JSON.stringify(body) });
    const interfaces = `${ROOT}/data/ietf-interfaces:interfaces`;
    return [
      route('GET', '/\\.well-known/host-meta', () => ({
        status: 200,
        type: 'application/xrd+xml',
        text: `<XRD xmlns="http://docs.oasis-open.org/ns/xri/xrd-1.0"><Link rel="restconf" href="${ROOT}"/></XRD>`,
      })),
      route('GET', ROOT, () =>
        data({ 'ietf-restconf:restconf': { data: {}, operations: {}, 'yang-library-version': '2019-01-04' } }),
      ),
      route('GET', interfaces, ({ accept }) => {
        // RFC 8040 clause 5.2: XML, where JSON is not asked for.
        if (!accept.includes(YANG))
          return {
            status: 200,
            type: 'application/yang-data+xml',
            text: '<interfaces xmlns="urn:ietf:params:xml:ns:yang:ietf-interfaces"/>',
          };
        return data({
          'ietf-interfaces:interfaces': { interface: this.spec.ports.map((p) => this.interfaceOf(p.name)) },
        });
      }),
      route('GET', `${interfaces}/interface=([^/]+)`, (r) => {
        const found = this.interfaceOf(r.params[0] as string);
        if (found !== null) return data({ 'ietf-interfaces:interface': [found] });
        const error = {
          'error-type': 'application',
          'error-tag': 'invalid-value',
          'error-message': 'no such interface',
        };
        return { status: 404, type: YANG, text: JSON.stringify({ 'ietf-restconf:errors': { error: [error] } }) };
      }),
    ];
  }
}
