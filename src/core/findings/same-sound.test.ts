import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from '../formats/plan-file';
import { reckon } from '../reckon/reckon';
import { terminalsOf } from '../signal/terminals';
import { modelOf } from '../plan/plan';
import { doAnyMeet, doesMix, rootAt, waysInto } from './same-sound';

const plan = planOfFile(skerryPoint());
/** A console with strips, groups and mixes, which can be sent to each other. */
const CONSOLE = 'loft-console';

/** Every bus of a plan that mixes: whether the quick look finds a sound that comes in twice, and whether the list of all ways has one. */
function meetings(of: typeof plan) {
  const { signal, signalFlow } = reckon(of);
  const rootOf = (node: number) => rootAt({ signal, signalFlow }, node).root;
  const found: { readonly quick: boolean; readonly listed: boolean }[] = [];
  for (let bus = 0; bus < signal.size; bus += 1) {
    if (!doesMix(signal, bus)) continue;
    const ways = [...waysInto(signal, bus, rootOf).values()];
    const listed = ways.some((own) => own.some((w) => w.feeder !== own[0]?.feeder));
    found.push({ quick: doAnyMeet(signal, bus, rootOf), listed });
  }
  return found;
}

test('the quick look at a bus says that a sound meets itself where the list of all ways has two of them', () => {
  const model = modelOf(plan, CONSOLE)!;
  const buses = terminalsOf(model).filter((t) => t.sendsFrom.length > 0);
  const send = fc
    .constantFrom(...buses.flatMap((t) => t.sendsFrom.map((from) => ({ t, from }))))
    .chain(({ t, from }) => {
      const source = terminalsOf(model).find((s) => s.id === from)!;
      return fc.record({
        deviceId: fc.constant(CONSOLE),
        terminalId: fc.constant(t.id),
        channel: fc.integer({ min: 1, max: Math.min(3, t.channels) }),
        fromTerminalId: fc.constant(from),
        fromChannel: fc.integer({ min: 1, max: Math.min(3, source.channels) }),
        tap: fc.constant(null),
        isOn: fc.boolean(),
        levelDb: fc.constant(null),
      });
    });
  let met = 0;
  fc.assert(
    fc.property(fc.array(send, { minLength: 5, maxLength: 30 }), (sends) => {
      const own = new Map(
        sends.map((s) => [`${s.terminalId}/${s.channel}/${s.fromTerminalId}/${s.fromChannel}`, s] as const),
      );
      const all = meetings({ ...plan, busSends: new Map([...plan.busSends, [CONSOLE, own]]) });
      for (const { quick, listed } of all) expect(quick).toBe(listed);
      met += all.filter((m) => m.listed).length;
    }),
    { numRuns: 30 },
  );
  expect(met).toBeGreaterThan(0);
});
