import type { Model, Switching } from '../models/models-table';

/** What a media network asks of a switch model. */
const FITNESS_CRITERIA = [
  'snooping',
  'querier',
  'group-table',
  'queues',
  'dscp-trust',
  'energy-saving',
  'spanning-tree',
  'timestamping',
] as const;
export type FitnessCriterion = (typeof FITNESS_CRITERIA)[number];

/** `fit`; `limited`: works with what is said; `unfit`: not for media. */
export type FitnessVerdict = 'fit' | 'limited' | 'unfit';

interface FitnessLine {
  readonly criterion: FitnessCriterion;
  readonly verdict: FitnessVerdict;
  /** The model's figure where the criterion has one. */
  readonly figure: number | null;
  readonly wanted: number | null;
}

interface Fitness {
  readonly verdict: FitnessVerdict;
  readonly lines: readonly FitnessLine[];
}

/** Three classes have to be told apart: clock, media, all the rest (AES67 clause 6). */
const QUEUES_WANTED = 3;

/** The verdict on a switch model for a plan in which a switch may have to know so many groups. */
export function fitnessOf(model: Model, groupsWanted: number): Fitness | null {
  const can = model.switching;
  if (!can) return null;
  const lines = FITNESS_CRITERIA.map((criterion) => lineFor(criterion, can, groupsWanted));
  const has = (verdict: FitnessVerdict) => lines.some((l) => l.verdict === verdict);
  return { verdict: has('unfit') ? 'unfit' : has('limited') ? 'limited' : 'fit', lines };
}

function lineFor(criterion: FitnessCriterion, can: Switching, groupsWanted: number): FitnessLine {
  const line = (verdict: FitnessVerdict, figure: number | null = null, wanted: number | null = null) => ({
    criterion,
    verdict,
    figure,
    wanted,
  });
  switch (criterion) {
    case 'snooping':
      return line(can.snooping ? 'fit' : 'unfit');
    case 'querier':
      // Another switch of the VLAN may ask instead.
      return line(can.querier ? 'fit' : 'limited');
    case 'group-table':
      if (can.groupTableSize === null) return line('limited', null, groupsWanted);
      return line(can.groupTableSize >= groupsWanted ? 'fit' : 'unfit', can.groupTableSize, groupsWanted);
    case 'queues':
      return line(
        can.queues >= QUEUES_WANTED ? 'fit' : can.queues === 2 ? 'limited' : 'unfit',
        can.queues,
        QUEUES_WANTED,
      );
    case 'dscp-trust':
      return line(can.dscpTrust ? 'fit' : 'unfit');
    case 'energy-saving':
      return line(can.energySaving === 'fixed' ? 'unfit' : 'fit');
    case 'spanning-tree':
      return line(can.spanningTree ? 'fit' : 'limited');
    case 'timestamping':
      return line(can.timestamping === 'none' ? 'limited' : 'fit');
  }
}
