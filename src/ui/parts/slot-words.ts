import type { SlotSubject } from '@/core/findings/finding';
import type { SlotFix } from '@/core/findings/slot-fix';
import { modelOf, type Plan } from '@/core/plan/plan';
import type { BusShape } from '@/core/slots/slot-buses-table';
import { slotsOfBlock, type SlotAbility } from '@/core/slots/slot-ability';
import type { Unheard } from '@/core/slots/slot-bus';
import { deviceName } from './names';
import { channelRuns, count, kHz } from './units';

export const SHAPE_WORDS: Readonly<Record<BusShape, string>> = {
  ring: 'ring',
  chain: 'chain, both ways',
  'one-way-chain': 'chain, one way',
};

export const UNHEARD_WORDS: Readonly<Record<Unheard, string>> = {
  nobody: 'no talker there',
  'two-talkers': 'two talk there',
  'above-highest': 'above its highest slot',
  'beyond-bus': 'beyond the last slot of the bus',
  upstream: 'the talker comes after it on the chain',
};

const slotsText = (slots: readonly number[]) => `${slots.length === 1 ? 'slot' : 'slots'} ${channelRuns(slots)}`;

/** `6 · slots 21–24`. */
export function blockText(ability: SlotAbility, block: number): string {
  const { first, last } = slotsOfBlock(ability, block);
  return `${block} · ${first === last ? `slot ${first}` : `slots ${first}–${last}`}`;
}

export function slotTitle(plan: Plan, finding: SlotSubject & { readonly deviceIds: readonly string[] }): string {
  const bus = plan.slotBuses.get(finding.busId)?.name ?? finding.busId;
  const first = deviceName(plan, finding.deviceIds[0] ?? '');
  switch (finding.about) {
    case 'slot-two-talkers': {
      const second = deviceName(plan, finding.deviceIds[1] ?? '');
      const who = first === second ? `${first} talks twice` : `${first} and ${second} both talk`;
      return `${who} on ${slotsText(finding.slots)} of ${bus}`;
    }
    case 'slot-unheard': {
      const why = {
        nobody: ', which has no talker',
        'above-highest': `; its model listens no higher than slot ${finding.limit}`,
        'beyond-bus': `, which ends at slot ${finding.limit}`,
        upstream: ', whose talker comes after it on the one-way chain',
      }[finding.why];
      return `${first} listens to ${slotsText(finding.slots)} of ${bus}${why}`;
    }
    case 'slot-beyond-bus':
      return `${first} talks on slot ${finding.slot} of ${bus}, which ends at slot ${finding.slotCount}`;
    case 'slot-rates-differ':
      return `The units of ${bus} run at ${finding.ratesHz.map(kHz).join(' and ')} kHz`;
  }
}

export function slotFixWords(plan: Plan, fix: SlotFix): string {
  const name = 'deviceId' in fix ? deviceName(plan, fix.deviceId) : '';
  switch (fix.does) {
    case 'talk-on-block': {
      const ability = modelOf(plan, fix.deviceId)?.slots;
      const block = ability ? blockText(ability, fix.block) : String(fix.block);
      return `Use block ${block} for ${name}${fix.followers > 0 ? `, ${count(fix.followers, 'listener')} with it` : ''}`;
    }
    case 'stop-talking':
      return `Turn off the talk block there of ${name}`;
    case 'stop-hearing':
      return `Turn off the listen block there of ${name}`;
    case 'move-along':
      return `Move ${name} behind ${deviceName(plan, fix.behindId)} on the chain`;
    case 'set-slot-rate':
      return `Run all of ${plan.slotBuses.get(fix.busId)?.name ?? ''} at ${kHz(fix.rateHz)} kHz`;
  }
}
