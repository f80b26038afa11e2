import type { WorkItem } from '@/core/patch/work-list';
import type { Plan } from '@/core/plan/plan';
import { ownName } from '@/core/signal/channel-names';
import type { SignalEnd } from '@/core/signal/signal-end';
import { runWords, signedDb, TAP_WORDS, terminalChannel } from '@/ui/parts/signal-words';
import { time } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';

/** An entry of the work list in words: what to do, and what it takes. */
interface WorkWords {
  readonly what: string;
  readonly detail: string;
}

const list = (words: readonly (string | null | false)[]): string =>
  words.filter((w) => w !== null && w !== false && w !== '').join(', ');

const metres = (value: number | null) => (value === null ? null : `${value} m`);
const pad = (db: number | null) => (db === null ? null : `attenuator of ${db} dB`);

export function workWords(plan: Plan, item: WorkItem): WorkWords {
  const { deviceId } = item;
  /** `Strip 3 (Tide bell)`. */
  const named = (end: SignalEnd): string => {
    const name = ownName(plan, end);
    return `${terminalChannel(plan, end)}${name === null ? '' : ` (${name})`}`;
  };
  switch (item.kind) {
    case 'plug': {
      const { plugged } = item;
      const takes = [plugged.plug, plugged.cableGrade, metres(plugged.metres), plugged.adapter];
      return {
        what: `${terminalChannel(plan, plugged)}: plug in ${plugged.name}`,
        detail: list([...takes, pad(plugged.attenuationDb)]),
      };
    }
    case 'cable': {
      const { name, from, to, channels, format, metres: length, adapter, attenuationDb } = item.cable;
      const run = (first: number) => Array.from({ length: channels }, (_, n) => first + n);
      // Its own device stands in the heading above it.
      const ownDevice = `${deviceName(plan, from.deviceId)}, `;
      const start = runWords(plan, from.deviceId, from.terminalId, run(from.channel)).slice(ownDevice.length);
      return {
        what: `${start}: cable to ${runWords(plan, to.deviceId, to.terminalId, run(to.channel))}`,
        detail: list([name, format, metres(length), adapter, pad(attenuationDb)]),
      };
    }
    case 'setting': {
      const { settings } = item;
      const set = [
        settings.format,
        settings.gainDb === null ? null : `gain ${signedDb(settings.gainDb)}`,
        settings.hasPad && 'pad in',
        settings.hasPhantom && '48 V on',
        settings.outputDelayNs === null ? null : `delay ${time(settings.outputDelayNs)}`,
      ];
      return { what: `${named(settings)}: set ${list(set)}`, detail: '' };
    }
    case 'patch': {
      const { from, tap } = item.patch;
      const source = from === null ? 'nothing' : named({ deviceId, ...from });
      return {
        what: `${named(item.patch)}: from ${source}`,
        detail: tap === null ? '' : TAP_WORDS[tap],
      };
    }
    case 'sends': {
      const [first] = item.sends;
      if (first === undefined) return { what: '', detail: '' };
      const strip = named({ deviceId, terminalId: first.fromTerminalId, channel: first.fromChannel });
      const buses = item.sends.map((send) => {
        const how = list([
          !send.isOn && 'off',
          send.tap !== null && TAP_WORDS[send.tap],
          send.levelDb !== null && signedDb(send.levelDb),
        ]);
        return how === '' ? named(send) : `${named(send)} ${how}`;
      });
      return { what: `${strip}: send to ${list(buses)}`, detail: '' };
    }
  }
}
