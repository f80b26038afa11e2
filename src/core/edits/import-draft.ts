import { CATALOGUE } from '../models/catalogue';
import type { Model } from '../models/models-table';
import type { Command } from '../plan/commands';
import type { PlanOf } from '../plan/plan';
import type { Device } from '../plan/devices-table';
import type { Interface } from '../network/interfaces-table';
import type { Link, LinkEnd } from '../network/links-table';
import type { Place } from '../plan/places-table';
import type { Subnet } from '../network/subnets-table';

/** Records by id and by name, whatever the case of the name; of equal names the first. */
class Named<T extends { readonly id: string; readonly name: string }> {
  private readonly byId = new Map<string, T>();
  private readonly byName = new Map<string, T>();

  constructor(records: Iterable<T>) {
    for (const record of records) this.put(record);
  }

  put(record: T): void {
    this.byId.set(record.id, record);
    const name = record.name.trim().toLowerCase();
    const known = this.byName.get(name);
    if (known === undefined || known.id === record.id) this.byName.set(name, record);
  }

  find(text: string): T | undefined {
    return this.byId.get(text) ?? this.byName.get(text.trim().toLowerCase());
  }

  get(id: string | null): T | undefined {
    return id === null ? undefined : this.byId.get(id);
  }

  has(id: string): boolean {
    return this.byId.has(id);
  }
}

const socketKey = ({ deviceId, port }: LinkEnd) => `${deviceId}\n${port}`;

/**
 * A plan while rows are taken in one after the other, with the questions that rows ask answered at once: who holds an
 * address, what is in a socket, which device has a name. Takes in the few commands that rows lead to.
 */
export class ImportDraft {
  readonly devices: Named<Device>;
  readonly places: Named<Place>;
  readonly models: Named<Model>;
  readonly subnets: readonly Subnet[];
  private readonly subnetNames: Named<Subnet>;
  private readonly planModels: Set<string>;
  private readonly interfaces = new Map<string, Interface>();
  private readonly holders = new Map<string, Interface[]>();
  readonly links: Map<string, Link>;
  private readonly sockets = new Map<string, Link[]>();

  constructor(plan: PlanOf<'places' | 'models' | 'subnets' | 'devices' | 'links' | 'interfaces'>) {
    this.devices = new Named(plan.devices.values());
    this.places = new Named(plan.places.values());
    this.models = new Named([...plan.models.values(), ...CATALOGUE.filter((m) => !plan.models.has(m.id))]);
    this.planModels = new Set(plan.models.keys());
    this.subnets = [...plan.subnets.values()];
    this.subnetNames = new Named(this.subnets);
    this.links = new Map(plan.links);
    for (const link of plan.links.values()) this.plug(link);
    for (const owned of plan.interfaces.values()) for (const i of owned.values()) this.hold(i);
  }

  /** By name, by id, or by its block. */
  subnetNamed(text: string): Subnet | undefined {
    return this.subnetNames.find(text) ?? this.subnets.find((s) => s.cidr === text);
  }

  subnet(id: string | null): Subnet | undefined {
    return this.subnetNames.get(id);
  }

  isInPlan(model: Model): boolean {
    return this.planModels.has(model.id);
  }

  nameOf(deviceId: string): string {
    return this.devices.get(deviceId)?.name ?? deviceId;
  }

  modelOf(deviceId: string): Model | undefined {
    return this.models.get(this.devices.get(deviceId)?.modelId ?? null);
  }

  interfaceOf(deviceId: string, name: string): Interface | undefined {
    return this.interfaces.get(`${deviceId}\n${name}`);
  }

  holdersOf(address: string): readonly Interface[] {
    return this.holders.get(address) ?? [];
  }

  /** The cables in a socket. */
  cablesIn(deviceId: string, port: string): readonly Link[] {
    return this.sockets.get(socketKey({ deviceId, port })) ?? [];
  }

  take(commands: readonly Command[]): void {
    for (const command of commands) {
      switch (command.kind) {
        case 'put-place':
          this.places.put(command.place);
          break;
        case 'put-model':
          this.models.put(command.model);
          this.planModels.add(command.model.id);
          break;
        case 'add-device':
          this.devices.put(command.device);
          break;
        case 'change-device': {
          const device = this.devices.get(command.deviceId);
          if (device) this.devices.put({ ...device, ...command.change });
          break;
        }
        case 'put-interface':
          this.hold(command.interface);
          break;
        case 'put-link':
          this.plug(command.link);
          break;
        default:
          throw new Error(`rows do not lead to ${command.kind}`);
      }
    }
  }

  private hold(i: Interface): void {
    const key = `${i.deviceId}\n${i.name}`;
    const before = this.interfaces.get(key);
    if (before?.address != null) {
      const others = (this.holders.get(before.address) ?? []).filter((h) => h !== before);
      this.holders.set(before.address, others);
    }
    this.interfaces.set(key, i);
    if (i.address !== null) this.holders.set(i.address, [...(this.holders.get(i.address) ?? []), i]);
  }

  private plug(link: Link): void {
    const before = this.links.get(link.id);
    for (const end of before ? [before.from, before.to] : []) {
      const key = socketKey(end);
      this.sockets.set(
        key,
        (this.sockets.get(key) ?? []).filter((l) => l.id !== link.id),
      );
    }
    this.links.set(link.id, link);
    for (const end of [link.from, link.to]) {
      const key = socketKey(end);
      this.sockets.set(key, [...(this.sockets.get(key) ?? []), link]);
    }
  }
}
