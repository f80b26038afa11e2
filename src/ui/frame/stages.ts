import { areaOf, isIn, type Area, type FindingIn } from '@/core/findings/areas';
import { endsOf } from '@/core/findings/ends-of';
import { ArrowRightLeft, Cable, Clock, Mic, Network, Server, type LucideIcon } from 'lucide-react';
import type { Finding } from '@/core/findings/finding';
import type { Totals } from '@/core/reckon/reckoning';

/** Something to do at a stage, for the field that finds everything. */
interface StageAction {
  readonly key: string;
  readonly words: string;
  /** What comes behind the stage's address, e.g. `?view=cables`. */
  readonly query: string;
  /** The key that does it at the stage itself. */
  readonly keys?: string;
  /** Other words for it, as people use them elsewhere. */
  readonly also?: string;
}

/** A stage is declared once: where it is, what it shows, what can be done there, and where its findings lead. */
export interface Stage {
  /** Part of the address. */
  readonly id: string;
  /** The area of a plan whose findings are put right here; null: none. */
  readonly area: Area | null;
  readonly title: string;
  /** Other words for it, as people use them elsewhere. */
  readonly also: string;
  readonly Icon: LucideIcon;
  readonly actions: (totals: Totals | null) => readonly StageAction[];
  /** Where a finding of its area is seen, behind the stage's address. */
  readonly queryOf: (finding: Finding) => string;
}

/** That findings of an area are put right at a stage, and where each is seen there. */
const seenHere = <A extends Area>(area: A, queryOf: (finding: FindingIn<A>) => string) => ({
  area,
  queryOf: (finding: Finding) => (isIn(area, finding) ? queryOf(finding) : ''),
});

const firstDevice = (finding: Finding) => finding.deviceIds[0] ?? '';

const gear: Stage = {
  id: 'gear',
  title: 'Gear',
  also: 'devices equipment inventory nodes',
  Icon: Server,
  actions: () => [
    { key: 'add', words: 'Add devices', query: '?add=1', keys: 'N', also: 'new create' },
    { key: 'models', words: 'Models and their library', query: '?models=1', also: 'workshop catalogue figures limits' },
  ],
  ...seenHere('gear', (finding) =>
    finding.about === 'figures-unknown'
      ? `?models=1&model=${encodeURIComponent(finding.modelId)}&edit=1`
      : `?sel=${firstDevice(finding)}`,
  ),
};

const network: Stage = {
  id: 'network',
  title: 'Network',
  also: 'switches cables addresses subnets VLAN IP',
  Icon: Network,
  actions: () => [
    { key: 'busiest', words: 'Show the busiest cables', query: '?view=cables', also: 'bandwidth load traffic links' },
    { key: 'subnets', words: 'Show subnets and free addresses', query: '?view=subnets', also: 'IP VLAN DHCP' },
  ],
  ...seenHere('network', (finding) => {
    if ('linkId' in finding) return `?view=cables&sel=link:${finding.linkId}`;
    if ('linkIds' in finding) return `?view=cables&sel=link:${finding.linkIds[0] ?? ''}`;
    if ('switchId' in finding) return `?view=switches&sel=device:${finding.switchId}`;
    if ('subnetId' in finding) return `?view=subnets&sel=subnet:${finding.subnetId}`;
    if (finding.about === 'subnets-overlap') return `?view=subnets&sel=subnet:${finding.subnetIds[0] ?? ''}`;
    if (finding.about === 'group-collision') {
      return `?view=streams&sel=stream:${encodeURIComponent(finding.groups[0]?.streamId ?? '')}`;
    }
    if (finding.about === 'group-reserved') return `?view=streams&sel=stream:${encodeURIComponent(finding.streamId)}`;
    return `?sel=device:${firstDevice(finding)}`;
  }),
};

const clocks: Stage = {
  id: 'clocks',
  title: 'Clocks',
  also: 'PTP sync word clock grandmaster',
  Icon: Clock,
  actions: (totals) => [
    {
      key: 'rates',
      words: 'Show clock groups and who decides the rate',
      query: '?view=rates',
      also: 'sample rate 44.1 48 96',
    },
    ...(totals?.grandmasterId == null
      ? []
      : [
          {
            key: 'drill',
            words: 'Failure drill: what if the grandmaster fails?',
            also: 'simulate dies loss',
            query: `?lost=device:${totals.grandmasterId}`,
          },
        ]),
  ],
  ...seenHere('clocks', (finding) => {
    if (finding.about === 'group-no-authority') return `?view=rates&sel=group:${finding.groupId}`;
    if (finding.about === 'reference-rate') return `?view=references&sel=reference:${finding.referenceId}`;
    return `?sel=device:${firstDevice(finding)}`;
  }),
};

const lanes: Stage = {
  id: 'lanes',
  title: 'Lanes',
  also: 'patch route routing subscriptions',
  Icon: ArrowRightLeft,
  actions: () => [
    { key: 'refused', words: 'Show refused lanes', query: '?state=refused', also: 'errors' },
    { key: 'waiting', words: 'Show lanes that wait for a device', query: '?state=waiting', also: 'lost offline' },
    { key: 'free', words: 'Show free channels', query: '?state=free', also: 'unused spare unpatched' },
  ],
  ...seenHere('lanes', (finding) => {
    if (!('channels' in finding) || finding.channels.length === 0) return '';
    const last = finding.channels[finding.channels.length - 1] ?? 1;
    return `?sel=${firstDevice(finding)}:${finding.channels[0] ?? 1}-${last}`;
  }),
};

const patch: Stage = {
  id: 'patch',
  title: 'Device patch',
  also: 'strips buses sockets connectors microphones loudspeakers inputs outputs signal',
  Icon: Mic,
  actions: () => [
    {
      key: 'work',
      words: 'Show the work list of all devices',
      query: '?view=work&all=true',
      also: 'tick off print checklist',
    },
  ],
  ...seenHere('patch', (finding) => {
    const [end] = endsOf(finding);
    return end === undefined
      ? `?device=${firstDevice(finding)}`
      : `?device=${end.deviceId}&sel=${end.terminalId}:${end.channel}`;
  }),
};

const slots: Stage = {
  id: 'slots',
  title: 'Slot buses',
  also: 'ring chain',
  Icon: Cable,
  actions: () => [],
  ...seenHere('slots', (finding) => `?sel=${firstDevice(finding)}`),
};

/** The stages that exist, in the order of the work. */
export const STAGES: readonly Stage[] = [gear, network, clocks, lanes, patch, slots];

/** The stage where findings of an area are put right. */
export const stageOf = (area: Area): Stage => STAGES.find((s) => s.area === area) as Stage;

/** Where to see what a finding is about. */
export function findingHref(planId: string, finding: Finding): string {
  const stage = stageOf(areaOf(finding));
  return `/plans/${planId}/${stage.id}${stage.queryOf(finding)}`;
}
