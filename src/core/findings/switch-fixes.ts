import { CATALOGUE } from '../models/catalogue';
import { switchSettingsOf, usualQueues, usualSwitchSettings } from '../network/switch-settings';
import type { Command } from '../plan/commands';
import { cablesOf } from '../plan/sockets';
import { interfacesOf, modelOf, type PlanOf } from '../plan/plan';
import { isRouted } from '../network/interfaces-table';
import type { SwitchSettings } from '../network/switches-table';
import type { NetworkFix, SwitchChange } from './network-fix';

/** Other settings of a switch, or another switch. */

const SWITCH_CHANGES: Readonly<Record<Exclude<SwitchChange, 'usual-queues' | 'pim-sparse'>, Partial<SwitchSettings>>> =
  {
    'energy-saving-off': { energySaving: false },
    'trust-dscp': { trustsDscp: true },
    'spanning-tree-on': { spanningTree: true },
    'snooping-on': { snooping: true },
    'multicast-routing-on': { multicastRouting: true },
    'igmp-3': { igmpVersion: 3 },
  };

/** The rendezvous point of another router: all of them have to know the same one. */
const knownPoint = (plan: PlanOf<'switches'>): string | null =>
  [...plan.switches.values()].find((s) => s.rendezvousPoint !== null)?.rendezvousPoint ?? null;

/** The first address of a switch in any subnet that it routes: where it can be a rendezvous point. */
export function ownAddressOf(plan: PlanOf<'interfaces'>, switchId: string): string | null {
  return [...interfacesOf(plan, switchId).values()].find((i) => isRouted(i) && i.address !== null)?.address ?? null;
}

export function setSwitch(
  plan: PlanOf<'settings' | 'models' | 'devices' | 'switches' | 'interfaces'>,
  deviceId: string,
  what: SwitchChange,
): NetworkFix {
  const settings = switchSettingsOf(plan, deviceId) as SwitchSettings;
  const queues = modelOf(plan, deviceId)?.switching?.queues ?? 1;
  const change =
    what === 'usual-queues'
      ? { queueByDscp: usualQueues(queues, plan.settings) }
      : what === 'pim-sparse'
        ? { pimMode: 'sparse' as const, rendezvousPoint: knownPoint(plan) ?? ownAddressOf(plan, deviceId) }
        : SWITCH_CHANGES[what];
  return {
    does: 'set-switch',
    deviceId,
    what,
    commands: [{ kind: 'put-switch', settings: { ...settings, ...change } }],
  };
}

/** Models of the plan or the catalogue that suit better and have every socket that is in use. */
export function betterModels(
  plan: PlanOf<'settings' | 'models' | 'devices' | 'links' | 'switches' | 'interfaces'>,
  switchId: string,
  suits: (
    switching: NonNullable<(typeof CATALOGUE)[number]['switching']>,
    ports: (typeof CATALOGUE)[number]['ports'],
  ) => boolean,
): NetworkFix[] {
  const device = plan.devices.get(switchId);
  const current = modelOf(plan, switchId);
  if (!device || !current) return [];
  const used = [...cablesOf(plan, switchId).keys()];
  const routes = [...interfacesOf(plan, switchId).values()].some(isRouted);
  const models = new Map([...CATALOGUE, ...plan.models.values()].map((m) => [m.id, m]));
  return [...models.values()]
    .filter(({ id, switching, ports }) => {
      if (!switching || id === current.id || !suits(switching, ports)) return false;
      if (routes && switching.routing !== current.switching?.routing) return false;
      return used.every((name) => ports.some((p) => p.name === name));
    })
    .slice(0, 2)
    .map((model) => {
      const commands: Command[] = plan.models.has(model.id) ? [] : [{ kind: 'put-model', model }];
      commands.push({ kind: 'change-device', deviceId: switchId, change: { modelId: model.id } });
      if (plan.switches.has(switchId)) {
        commands.push({ kind: 'put-switch', settings: usualSwitchSettings(switchId, model, plan.settings) });
      }
      return { does: 'change-model' as const, deviceId: switchId, modelName: model.name, commands };
    });
}
