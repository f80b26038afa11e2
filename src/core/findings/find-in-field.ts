import { fieldAddressFindings } from './field-addresses';
import { batteryFindings } from './field-batteries';
import { fieldClockFindings } from './field-clocks';
import type { FieldFacts } from './field-facts';
import { fieldLinkFindings } from './field-links';
import { fieldMapFindings } from './field-maps';
import { fieldNameFindings } from './field-names';
import { fieldPatchFindings } from './field-patches';
import { substituteFindings } from './substitutes';
import type { Finding } from './finding';

/** What is found where the field is held against the plan: what the rules of `field-rules.ts` find, in their order. */
export function findInField(facts: FieldFacts): readonly Finding[] {
  return [
    ...fieldLinkFindings(facts, facts.foundLinks),
    ...fieldAddressFindings(facts, facts.foundAt, facts.seenBy),
    ...fieldClockFindings(facts, facts.keptTime, facts.foundClocks),
    ...fieldNameFindings(facts, facts.foundNames),
    ...fieldMapFindings(facts, facts.foundMappings),
    ...fieldPatchFindings(facts, facts.foundPatches),
    ...batteryFindings(facts, facts.foundFigures),
    ...substituteFindings(facts, facts.now),
  ];
}
