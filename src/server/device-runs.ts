import type { PlanRef } from '../core/plan/plan-ref';
import type { Bindings } from '../field/binding';
import type { DeviceRunStore } from '../store/device-run-store';

/**
 * A device of the field is run by one plan at a time: the one that sent to it, until another takes it over. This keeps what the store has
 * in memory, as every look at the field asks for it.
 */
export class DeviceRuns {
  private known: ReadonlyMap<string, PlanRef> | null = null;

  constructor(
    private readonly store: DeviceRunStore,
    private readonly onChange: () => void,
  ) {}

  /** By the id of the IS-04 device: the same map until any of it is another. */
  all(): ReadonlyMap<string, PlanRef> {
    return (this.known ??= this.store.all());
  }

  /** A plan was renamed, put away or brought back. */
  readAgain(): void {
    this.known = null;
    this.onChange();
  }

  /** Devices of the plan that another plan runs, with that plan. */
  elsewhere(planId: string, { nodeByDevice }: Pick<Bindings, 'nodeByDevice'>): Map<string, PlanRef> {
    const runs = this.all();
    const found = new Map<string, PlanRef>();
    for (const [deviceId, node] of nodeByDevice) {
      const by = runs.get(node.device?.id ?? '');
      if (by !== undefined && by.planId !== planId) found.set(deviceId, by);
    }
    return found;
  }

  /** The plan runs these devices of it from now on, whoever ran them. */
  takeOver(planId: string, deviceIds: Iterable<string>, { nodeByDevice }: Pick<Bindings, 'nodeByDevice'>): void {
    const runs = this.all();
    const ids = [...deviceIds].flatMap((id) => nodeByDevice.get(id)?.device?.id ?? []);
    const others = ids.filter((id) => runs.get(id)?.planId !== planId);
    if (others.length === 0) return;
    this.store.put(planId, others, Date.now());
    this.readAgain();
  }

  /** As takeOver, of devices that no plan runs yet. */
  claim(planId: string, deviceIds: Iterable<string>, bindings: Pick<Bindings, 'nodeByDevice'>): void {
    const runs = this.all();
    const isFree = (id: string) => !runs.has(bindings.nodeByDevice.get(id)?.device?.id ?? '');
    this.takeOver(planId, [...deviceIds].filter(isFree), bindings);
  }
}
