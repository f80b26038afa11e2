import type { Model } from '../models/models-table';
import { modelOf, type PlanOf, type ModelledDevices } from '../plan/plan';
import type { PlanSettings } from '../plan/settings-table';
import type { SwitchSettings } from './switches-table';

/** IEEE 802.1D: what every bridge starts with. */
export const USUAL_BRIDGE_PRIORITY = 32_768;

/**
 * Settings that suit media, as far as the model can do them: snooping on, DiffServ trusted, clock messages in the highest
 * queue and media in the next, no energy saving, spanning tree on, multicast routed where the model routes it.
 */
export function usualSwitchSettings(id: string, model: Model, settings: PlanSettings): SwitchSettings {
  const can = model.switching;
  return {
    id,
    snooping: can?.snooping ?? false,
    trustsDscp: can?.dscpTrust ?? false,
    queueByDscp: usualQueues(can?.queues ?? 1, settings),
    energySaving: can?.energySaving === 'fixed',
    spanningTree: can?.spanningTree ?? false,
    bridgePriority: USUAL_BRIDGE_PRIORITY,
    multicastRouting: can?.routing === 'multicast',
    spanningTrees: 'one',
    igmpVersion: 3,
    pimMode: null,
    rendezvousPoint: null,
  };
}

/** Highest queue for PTP, the next for media; with one queue there is nothing to tell apart. */
export function usualQueues(queues: number, settings: PlanSettings): SwitchSettings['queueByDscp'] {
  if (queues < 2) return [];
  return [
    { dscp: settings.ptpDscp, queue: queues - 1 },
    { dscp: settings.mediaDscp, queue: Math.max(1, queues - 2) },
  ];
}

/** How a switch of the plan is set; null for what is no switch. */
export function switchSettingsOf(
  plan: ModelledDevices & PlanOf<'settings' | 'switches'>,
  deviceId: string,
): SwitchSettings | null {
  const model = modelOf(plan, deviceId);
  if (!model?.switching) return null;
  return plan.switches.get(deviceId) ?? usualSwitchSettings(deviceId, model, plan.settings);
}
