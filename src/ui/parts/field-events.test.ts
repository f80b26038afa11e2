import { planOfFile } from '@/core/formats/plan-file';
import type { Happening } from '@/field/live/happenings';
import { skerryPoint } from '@/demo/skerry-point';
import { happeningWords } from './field-events';
import { timeOfDay } from './units';

const plan = planOfFile(skerryPoint());
const say = (happening: Happening) => happeningWords(plan, { id: 1, at: 0, ...happening });
const amps = ['dome-amp-1', 'dome-amp-2', 'dome-amp-3', 'dome-amp-4', 'dome-amp-6'];

describe('what happened in the field, in words', () => {
  test('devices and switches by name, the first few and how many more', () => {
    expect(say({ what: 'devices-gone', deviceIds: ['dome-amp-1'] })).toBe('Dome amp 1 went offline');
    expect(say({ what: 'devices-gone', deviceIds: amps })).toBe(
      'Dome amp 1, Dome amp 2, Dome amp 3 and 2 more went offline',
    );
    expect(say({ what: 'devices-back', deviceIds: amps.slice(0, 2) })).toBe('Dome amp 1 and Dome amp 2 came back');
    expect(say({ what: 'switches-silent', deviceIds: ['south-edge-a'] })).toContain('stopped answering (RESTCONF)');
    expect(say({ what: 'switches-answer', deviceIds: ['south-edge-a'] })).toContain('answered again (RESTCONF)');
  });

  test('a cable by the devices at its ends, also one that was removed since', () => {
    expect(say({ what: 'cables-down', linkIds: ['drop-dome-amp-1-a'] })).toMatch(/^Link down: .*Dome amp 1/);
    expect(say({ what: 'cables-up', linkIds: ['gone'] })).toBe('Link up: a cable that was removed');
    const many = [...plan.links.keys()].slice(0, 5);
    expect(say({ what: 'cables-down', linkIds: many })).toMatch(/; 2 more$/);
  });

  test('the registry with the reason, and every change of clocks by the names that the plan has', () => {
    expect(say({ what: 'registry-lost', because: 'it closed the connection' })).toBe(
      'The registry was lost: it closed the connection',
    );
    expect(say({ what: 'registry-lost', because: null })).toBe('The registry was lost');
    expect(say({ what: 'registry-back' })).toBe('The registry came back');
    const [a, b] = [...plan.clocks.values()].filter((c) => c.clockIdentity !== null);
    const [from, to] = [a!.clockIdentity!, b!.clockIdentity!];
    const name = (id: string) => plan.devices.get(id)!.name;
    expect(say({ what: 'grandmaster-changed', deviceIds: ['dome-amp-1'], from, to })).toBe(
      `Dome amp 1 now follows ${name(b!.id)} (was ${name(a!.id)})`,
    );
    expect(say({ what: 'second-grandmaster', deviceIds: [], gmids: [from, to] })).toContain(
      `${name(a!.id)} and ${name(b!.id)}`,
    );
    expect(say({ what: 'one-grandmaster', deviceIds: [], gmid: to })).toContain(name(b!.id));
    expect(say({ what: 'lock-lost', deviceIds: ['dome-amp-1'] })).toBe('Dome amp 1 lost lock');
  });

  test('a time of today is the time; of another day it has the day', () => {
    const now = new Date(2026, 4, 8, 20, 30, 0).getTime();
    expect(timeOfDay(new Date(2026, 4, 8, 9, 5, 7).getTime(), now)).toBe('09:05:07');
    expect(timeOfDay(new Date(2026, 4, 7, 9, 5, 7).getTime(), now)).toBe('7 May 09:05:07');
  });
});
