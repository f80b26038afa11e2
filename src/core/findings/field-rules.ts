import { fieldAddressFindings } from './field-addresses';
import { batteryFindings } from './field-batteries';
import { fieldClockFindings } from './field-clocks';
import { atOnce } from '../plan/in-steps';
import type { Done } from '../reckon/step';
import { fieldRule, type FieldFacts } from './field-facts';
import type { Finding } from './finding';
import { runRules } from './run-rules';
import { fieldLinkFindings } from './field-links';
import { fieldMapFindings } from './field-maps';
import { fieldNameFindings } from './field-names';
import { fieldPatchFindings } from './field-patches';
import { substituteFindings } from './substitutes';

/** Every rule about what the field reports, and about what time brings, in the order in which findings are listed. */
export const FIELD_RULES = {
  fieldLinkRule: fieldRule({
    finds: ['link-slower', 'link-half-duplex-found'],
    reads: ['links', 'foundLinks'],
    find: ({ foundLinks, ...plan }) => fieldLinkFindings(plan, foundLinks),
  }),
  fieldAddressRule: fieldRule({
    finds: ['answers-elsewhere'],
    reads: ['devices', 'interfaces', 'subnets', 'foundAt', 'seenBy'],
    find: ({ foundAt, seenBy, ...plan }) => fieldAddressFindings(plan, foundAt, seenBy),
  }),
  fieldClockRule: fieldRule({
    finds: ['field-grandmaster', 'field-two-grandmasters'],
    reads: ['clocks', 'keptTime', 'foundClocks'],
    find: ({ keptTime, foundClocks, ...plan }) => fieldClockFindings(plan, keptTime, foundClocks),
  }),
  fieldNameRule: fieldRule({
    finds: ['heard-by-old-name'],
    reads: ['devices', 'models', 'subscriptions', 'foundNames'],
    find: ({ foundNames, ...plan }) => fieldNameFindings(plan, foundNames),
  }),
  fieldMapRule: fieldRule({
    finds: ['map-limits-differ', 'no-channel-map', 'maps-apart'],
    reads: ['devices', 'models', 'foundMappings'],
    find: ({ foundMappings, ...plan }) => fieldMapFindings(plan, foundMappings),
  }),
  fieldPatchRule: fieldRule({
    finds: ['patch-differs'],
    reads: ['devices', 'models', 'patches', 'busSends', 'foundPatches'],
    find: ({ foundPatches, ...plan }) => fieldPatchFindings(plan, foundPatches),
  }),
  batteryRule: fieldRule({
    finds: ['battery-low'],
    reads: ['devices', 'foundFigures'],
    find: ({ foundFigures, ...plan }) => batteryFindings(plan, foundFigures),
  }),
  substituteRule: fieldRule({
    finds: ['substitute-standing'],
    reads: ['substitutions', 'now'],
    find: ({ now, ...plan }) => substituteFindings(plan, now),
  }),
};

/** Nothing is reported. */
export const NOTHING_FOUND = {
  foundLinks: new Map(),
  foundClocks: new Map(),
  foundNames: new Map(),
  foundMappings: new Map(),
  foundPatches: new Map(),
  foundFigures: new Map(),
  foundAt: new Map(),
  seenBy: new Map(),
} as const satisfies Partial<FieldFacts>;

/** What is found where the field is held against a plan. Of what it was asked before it looks again only at what can be otherwise. */
export class FieldFindings {
  private done: Done | undefined;

  of(facts: FieldFacts): readonly Finding[] {
    const { findings, done } = atOnce(runRules(FIELD_RULES, facts, this.done));
    this.done = done;
    return findings;
  }
}
