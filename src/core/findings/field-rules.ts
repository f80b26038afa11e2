import { CLOCK_WAYS } from './clock-fixes';
import { fieldAddressFindings } from './field-addresses';
import { batteryFindings } from './field-batteries';
import { fieldClockFindings } from './field-clocks';
import { fieldRule } from './field-facts';
import { fieldLinkFindings } from './field-links';
import { fieldMapFindings } from './field-maps';
import { fieldNameFindings } from './field-names';
import { fieldPatchFindings } from './field-patches';
import { LANE_AND_GEAR_WAYS } from './lane-and-gear-fixes';
import { NETWORK_WAYS } from './network-fixes';
import { SIGNAL_WAYS } from './signal-fixes';
import { substituteFindings } from './substitutes';
import { waysOf } from './rule';

/** Rules about what the field reports, and about what time brings. The page finds by the same functions (`findInField`) without the ways out. */

export const substituteRule = fieldRule({
  finds: waysOf(SIGNAL_WAYS, 'substitute-standing'),
  reads: ['substitutions', 'now'],
  find: ({ now, ...plan }) => substituteFindings(plan, now),
});

export const fieldPatchRule = fieldRule({
  finds: waysOf(SIGNAL_WAYS, 'patch-differs'),
  reads: ['devices', 'models', 'patches', 'busSends', 'foundPatches'],
  find: ({ foundPatches, ...plan }) => fieldPatchFindings(plan, foundPatches),
});

export const batteryRule = fieldRule({
  finds: waysOf(SIGNAL_WAYS, 'battery-low'),
  reads: ['devices', 'foundFigures'],
  find: ({ foundFigures, ...plan }) => batteryFindings(plan, foundFigures),
});

export const fieldNameRule = fieldRule({
  finds: waysOf(LANE_AND_GEAR_WAYS, 'heard-by-old-name'),
  reads: ['devices', 'models', 'subscriptions', 'foundNames'],
  find: ({ foundNames, ...plan }) => fieldNameFindings(plan, foundNames),
});

export const fieldMapRule = fieldRule({
  finds: waysOf(LANE_AND_GEAR_WAYS, 'map-limits-differ', 'no-channel-map', 'maps-apart'),
  reads: ['devices', 'models', 'foundMappings'],
  find: ({ foundMappings, ...plan }) => fieldMapFindings(plan, foundMappings),
});

export const fieldAddressRule = fieldRule({
  finds: waysOf(NETWORK_WAYS, 'answers-elsewhere'),
  reads: ['devices', 'interfaces', 'subnets', 'foundAt', 'seenBy'],
  find: ({ foundAt, seenBy, ...plan }) => fieldAddressFindings(plan, foundAt, seenBy),
});

export const fieldLinkRule = fieldRule({
  finds: waysOf(NETWORK_WAYS, 'link-slower', 'link-half-duplex-found'),
  reads: ['links', 'foundLinks'],
  find: ({ foundLinks, ...plan }) => fieldLinkFindings(plan, foundLinks),
});

export const fieldClockRule = fieldRule({
  finds: waysOf(CLOCK_WAYS, 'field-grandmaster', 'field-two-grandmasters'),
  reads: ['clocks', 'keptTime', 'foundClocks'],
  find: ({ keptTime, foundClocks, ...plan }) => fieldClockFindings(plan, keptTime, foundClocks),
});
