import { rule } from './rule';
import { switchSettingsOf } from '../network/switch-settings';
import type { Topology } from '../network/topology';
import { modelOf, type PlanOf, type ModelledDevices } from '../plan/plan';
import type { FindingAbout } from './finding';

const FINDS = ['snooping-off', 'energy-saving', 'dscp-untrusted', 'queue-mapping'] as const;
type Found = FindingAbout<(typeof FINDS)[number]>;

/** How each switch is set, held against what media and clocks need. */
function switchFindings(plan: ModelledDevices & PlanOf<'settings' | 'switches'>, topology: Topology): Found[] {
  const findings: Found[] = [];
  for (const { deviceId } of topology.network.bridges) {
    const settings = switchSettingsOf(plan, deviceId);
    const can = modelOf(plan, deviceId)?.switching;
    if (!settings || !can) continue;
    const base = { severity: 'caution', deviceIds: [deviceId] } as const;
    const switchId = deviceId;
    if (!settings.snooping || !can.snooping) {
      const canSnoop = can.snooping;
      findings.push({ id: `snooping|${switchId}`, ...base, about: 'snooping-off', switchId, canSnoop });
    }
    if (settings.energySaving || can.energySaving === 'fixed') {
      const isFixed = can.energySaving === 'fixed';
      findings.push({ id: `energy|${switchId}`, ...base, about: 'energy-saving', switchId, isFixed });
    }
    if (!settings.trustsDscp || !can.dscpTrust) {
      const canTrust = can.dscpTrust;
      findings.push({ id: `dscp|${switchId}`, ...base, about: 'dscp-untrusted', switchId, canTrust });
      continue;
    }
    // Clock above media above the rest (AES67 clause 6), where there are queues to tell them apart.
    const queueOf = (dscp: number) =>
      Math.min(settings.queueByDscp.find((q) => q.dscp === dscp)?.queue ?? 0, can.queues - 1);
    const ptpQueue = queueOf(plan.settings.ptpDscp);
    const mediaQueue = queueOf(plan.settings.mediaDscp);
    const needsThree = can.queues >= 3;
    const isRight = needsThree ? ptpQueue > mediaQueue && mediaQueue > 0 : ptpQueue > 0 && mediaQueue > 0;
    if (!isRight) {
      const { queues } = can;
      findings.push({
        id: `queues|${switchId}`,
        ...base,
        about: 'queue-mapping',
        switchId,
        ptpQueue,
        mediaQueue,
        queues,
      });
    }
  }
  return findings;
}

export const switchRule = rule({
  finds: FINDS,
  reads: ['modelled', 'settings', 'switches', 'topology'],
  find: ({ modelled, topology, ...plan }) => switchFindings({ ...modelled, ...plan }, topology),
});
