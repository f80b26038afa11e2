import fc from 'fast-check';
import { blockCount, isSettable, type SlotAbility } from '../slots/slot-ability';
import { SINK_KINDS, SOURCE_KINDS } from '../signal/plugged-in-table';
import { PLAIN_TERMINAL, TAPS, type StatedTerminal } from '../signal/terminal-shape';
import { terminalsOf, type Terminal } from '../signal/terminals';
import { recordKey, recordsIn, type AnyRecord } from './changes';
import { planOfRecords, type Records } from './integrity';
import type { Device } from './devices-table';
import type { Model } from '../models/models-table';
import type { Plan } from './plan';
import { POINTERS_FROM, type PointerField } from './points-to';
import { address, cidr, id, type Shape } from './shape';
import { isBlank, visible } from './visible-text';
import { declarationOf, TABLE_NAMES, type TableName } from './tables';

/**
 * Values for property tests, made from the declarations of tables: records in which every field takes every value it may,
 * whole plans that hold together, and commands of every kind. A new table is in them without a line here.
 */

const digits = '0123456789ABCDEF'.split('');

const ipv4 = fc.ipV4();

/** Text that is kept well: no lone surrogates, which UTF-8 cannot carry. */
const words = (maxLength: number) =>
  fc
    .string({ unit: 'grapheme', maxLength: Math.min(maxLength, 8) })
    .map((s) => visible([...s].slice(0, 4).join('')))
    .map((s) => (isBlank(s) ? '_' : s));

export function valueOf(shape: Shape<unknown>): fc.Arbitrary<unknown> {
  if ('const' in shape) return fc.constant(shape['const']);
  if ('enum' in shape) return fc.constantFrom(...(shape['enum'] as unknown[]));
  if ('anyOf' in shape)
    return fc.option(valueOf((shape['anyOf'] as Shape<unknown>[])[0] as Shape<unknown>), { freq: 3 });
  const type = shape['type'];
  if (Array.isArray(type)) return fc.option(valueOf({ ...shape, type: 'object' }), { freq: 3 });
  switch (type) {
    case 'boolean':
      return fc.boolean();
    case 'integer':
      return fc.integer({ min: shape['minimum'] as number, max: (shape['maximum'] as number | undefined) ?? 1e11 });
    case 'number':
      return fc
        .double({ min: shape['minimum'] as number, max: 1e6, noNaN: true, noDefaultInfinity: true })
        .map((n) => n + 0);
    case 'array': {
      const items = valueOf(shape['items'] as Shape<unknown>);
      const length = {
        minLength: (shape['minItems'] as number | undefined) ?? 0,
        maxLength: Math.min(3, (shape['maxItems'] as number | undefined) ?? 3),
      };
      return shape['uniqueItems'] === true ? fc.uniqueArray(items, length) : fc.array(items, length);
    }
    case 'object': {
      const fields = shape['properties'] as Record<string, Shape<unknown>>;
      const required = shape['required'] as readonly string[];
      const defaults = Object.keys(fields).filter((name) => 'default' in (fields[name] as object));
      const values = Object.fromEntries(Object.entries(fields).map(([name, field]) => [name, valueOf(field)]));
      return fc.record(values, { requiredKeys: [...required, ...defaults], noNullPrototype: true });
    }
    default:
      break;
  }
  if (shape['pattern'] === id['pattern'])
    return fc.string({ unit: fc.constantFrom('a', 'B', '7', '.', '_', ':', '-'), minLength: 1, maxLength: 4 });
  if (shape['pattern'] === address['pattern']) return ipv4;
  if (shape['pattern'] === cidr['pattern']) {
    return fc.tuple(ipv4, fc.integer({ min: 0, max: 32 })).map(([a, prefix]) => `${a}/${prefix}`);
  }
  if (shape['maxLength'] === 40) {
    // The one text of forty characters is a clock identity.
    return fc.array(fc.constantFrom(...digits), { minLength: 16, maxLength: 16 }).map((d) => d.join(''));
  }
  const least = (shape['minLength'] as number | undefined) ?? 0;
  return words(shape['maxLength'] as number).map((w) => (w.length < least ? 'x'.repeat(least) : w));
}

/** A choice that is made later, of what is there then: a fraction of the list. Not `fc.double`, of which nearly all are next to nothing. */
export const choice = fc.integer({ min: 0, max: 9_999 }).map((n) => n / 10_000);

export const chosen = <T>(items: readonly T[], fraction: number): T | undefined =>
  items[Math.floor(fraction * items.length)];

/** Choices without end, from one seed. */
export function* choicesFrom(seed: number): Generator<number, never> {
  for (let state = seed >>> 0; ;) {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    yield state / 2 ** 32;
  }
}

export type Choices = Generator<number, never>;

export type KeysOf = (table: TableName) => readonly string[];

/** The record with everything that it points at replaced by what is there; null: it cannot stand. */
export function pointed(table: TableName, record: AnyRecord, keysOf: KeysOf, choices: Choices): AnyRecord | null {
  let now: AnyRecord | null = record;
  for (const reference of POINTERS_FROM[table]) {
    if (now === null) return null;
    now = pointedAt(reference, now, keysOf(reference.to), choices);
  }
  return now;
}

function pointedAt(
  reference: PointerField,
  record: AnyRecord,
  keys: readonly string[],
  choices: Choices,
): AnyRecord | null {
  const targets = reference.targets(record);
  if (targets === null || (Array.isArray(targets) && targets.length === 0)) return record;
  if (keys.length === 0) return reference.canBeEmpty ? reference.emptied(record, () => true) : null;
  const isList = Array.isArray(targets);
  const field = isList ? null : reference.fieldOf(record, targets as string);
  if (field !== null && field in record) return { ...record, [field]: chosen(keys, choices.next().value) };
  const copy = structuredClone(record) as Record<string, unknown>;
  for (const target of isList ? targets : [targets as string]) {
    const path = reference.fieldOf(copy, target).match(/\w+/g) as string[];
    let at = copy as Record<string, unknown>;
    for (const part of path.slice(0, -1)) at = at[part] as Record<string, unknown>;
    at[path[path.length - 1] as string] = chosen(keys, choices.next().value);
  }
  return copy;
}

/** Terminals that fit together: those that came, led to each other, and four that every device has, so that all tables are filled. */
function terminalsFor(model: AnyRecord, choices: Choices): readonly StatedTerminal[] {
  const raw = (model['terminals'] ?? []) as readonly StatedTerminal[];
  const any = (n: number) => raw[n % Math.max(1, raw.length)];
  const named = (id: string, name: string, n: number): StatedTerminal => ({
    ...PLAIN_TERMINAL,
    ...any(n),
    id,
    name,
    kind: 'connector',
    direction: 'in',
    channels: 4,
  });
  const all: StatedTerminal[] = [
    named('sockets', 'Sockets', 0),
    { ...named('strips', 'Strips', 1), kind: 'strip', direction: 'inside', taps: [...TAPS] },
    { ...named('mix', 'Mix', 2), kind: 'bus', direction: 'inside' },
    { ...named('outs', 'Outs', 0), direction: 'out' },
    ...raw.map((t, n): StatedTerminal => {
      const isSent = t.kind === 'network' || t.kind === 'slots';
      return {
        ...t,
        id: isSent ? 'network-out' : `more-${n}`,
        direction: isSent ? 'out' : t.direction,
        kind: isSent ? 'network' : t.kind,
        channels: Math.min(t.channels, 8),
      };
    }),
  ];
  const once = all.filter((t, n, list) => list.findIndex((other) => other.id === t.id) === n);
  const inputs = once.filter((t) => t.direction !== 'out').map((t) => t.id);
  return once.map((t, n) => {
    if (t.direction === 'in') return { ...t, normalledTo: null, patchFrom: [], sendsFrom: [], mixes: null };
    const before = inputs.filter((id) => once.findIndex((other) => other.id === id) < n);
    const one = () => chosen(before, choices.next().value) ?? null;
    const isBus = t.kind === 'bus';
    return {
      ...t,
      normalledTo: choices.next().value < 0.5 ? one() : null,
      patchFrom: choices.next().value < 0.8 ? before : [],
      sendsFrom: isBus ? before : [],
      mixes: isBus && choices.next().value < 0.3 ? one() : null,
    };
  });
}

/** What there is of a plan while it is made, as far as records have to fit it. */
interface GearSoFar {
  readonly devices: ReadonlyMap<string, Device>;
  readonly models: ReadonlyMap<string, Model>;
}

/** A channel of one of the terminals of the record's device for which something holds. */
function endIn(r: AnyRecord, plan: GearSoFar, choices: Choices, holds: (t: Terminal) => boolean) {
  const model = plan.models.get(plan.devices.get(r['deviceId'] as string)?.modelId ?? '');
  const terminal = model && chosen(terminalsOf(model).filter(holds), choices.next().value);
  if (!terminal) return null;
  return { terminal, channel: 1 + Math.floor(choices.next().value * terminal.channels) };
}

type Adapt = (record: AnyRecord, plan: GearSoFar, choices: Choices) => AnyRecord | null;

/** What the shape alone does not say, so that values are taken: ranges in order, selectors that can be set. */
export const ADAPTED: Partial<Record<TableName, Adapt>> = {
  subnets: (r) => {
    const dhcp = r['dhcp'] as { first: string; last: string } | null;
    return dhcp === null ? r : { ...r, dhcp: { first: dhcp.first, last: dhcp.first } };
  },
  // A bus of thousands of slots, all of them contested, is no plan but takes its time.
  models: (raw, _plan, choices) => {
    const r = { ...raw, terminals: terminalsFor(raw, choices) };
    const slots = raw['slots'] as SlotAbility | null;
    if (slots === null) return r;
    const low = (n: number, most: number) => Math.min(n, most);
    const figures = { slotCount: low(slots.slotCount, 48), blockSize: low(slots.blockSize, 8) };
    const blocks = { talkBlocks: low(slots.talkBlocks, 3), hearBlocks: low(slots.hearBlocks, 3) };
    return { ...r, slots: { ...slots, ...figures, ...blocks } };
  },
  // What is in a terminal is in one that the device has, and as that terminal takes it.
  pluggedIn: (r, plan, choices) => {
    const end = endIn(r, plan, choices, (t) => t.direction !== 'inside' && ['connector', 'radio'].includes(t.kind));
    if (end === null) return null;
    const kinds = end.terminal.direction === 'in' ? SOURCE_KINDS : SINK_KINDS;
    return { ...r, terminalId: end.terminal.id, channel: end.channel, kind: chosen(kinds, choices.next().value) };
  },
  channelSettings: (r, plan, choices) => {
    const end = endIn(r, plan, choices, () => true);
    if (end === null) return null;
    const { level, formats } = end.terminal;
    const { gainMinDb: least = null, gainMaxDb: most = null, gainStepDb = null } = level ?? {};
    const onStep = (gain: number) =>
      least === null || gainStepDb === null || gainStepDb < 0.001
        ? gain
        : least + Math.floor((gain - least) / gainStepDb) * gainStepDb;
    const hasGain = r['gainDb'] !== null && least !== null && most !== null && least <= most;
    return {
      ...r,
      terminalId: end.terminal.id,
      channel: end.channel,
      format: r['format'] === null ? null : (chosen(formats, choices.next().value) ?? null),
      gainDb: hasGain ? onStep(least + (most - least) * choices.next().value) : null,
      outputDelayNs: end.terminal.direction === 'out' ? r['outputDelayNs'] : null,
      hasPad: r['hasPad'] === true && (level?.padDb ?? null) !== null,
      hasPhantom: r['hasPhantom'] === true && level?.hasPhantom === true,
    };
  },
  audioCables: (r, plan, choices) => {
    const isSocket = (t: Terminal) => t.kind === 'connector' || t.kind === 'link';
    const from = endIn(r['from'] as AnyRecord, plan, choices, (t) => t.direction === 'out' && isSocket(t));
    const to = endIn(r['to'] as AnyRecord, plan, choices, (t) => t.direction === 'in' && isSocket(t));
    if (from === null || to === null) return null;
    const left = (end: { terminal: Terminal; channel: number }) => end.terminal.channels - end.channel + 1;
    const formats = [from, to].map((e) => e.terminal.formats).filter((list) => list.length > 0);
    const format =
      formats.length === 0 ? r['format'] : formats[0]?.find((f) => formats.every((list) => list.includes(f)));
    if (format === undefined) return null;
    const end = (field: string, e: { terminal: Terminal; channel: number }) => ({
      ...(r[field] as object),
      terminalId: e.terminal.id,
      channel: e.channel,
    });
    const channels = Math.min(r['channels'] as number, left(from), left(to));
    return { ...r, from: end('from', from), to: end('to', to), channels, format };
  },
  patches: (r, plan, choices) => {
    const fed = endIn(r, plan, choices, (t) => t.patchFrom.length > 0);
    if (fed === null) return null;
    const own = { ...r, terminalId: fed.terminal.id, channel: fed.channel };
    const from = endIn(r, plan, choices, (t) => fed.terminal.patchFrom.includes(t.id));
    if (r['from'] === null || from === null) return { ...own, from: null, tap: null };
    const tap = r['tap'] === null ? null : (chosen(from.terminal.taps, choices.next().value) ?? null);
    return { ...own, from: { terminalId: from.terminal.id, channel: from.channel }, tap };
  },
  sideTraffic: (r, plan, choices) => {
    const carries = (t: Terminal) => (t.carries as readonly unknown[]).includes(r['kind']);
    const place = (field: string) => {
      const end = endIn(r[field] as AnyRecord, plan, choices, carries);
      return end && { ...(r[field] as object), terminalId: end.terminal.id };
    };
    const [from, to] = [place('from'), place('to')];
    return from && to ? { ...r, from, to } : null;
  },
  coherenceGroups: (r, plan, choices) => {
    const members = (r['members'] as AnyRecord[]).flatMap((m) => {
      const out = endIn(m, plan, choices, (t) => t.direction === 'out');
      return out === null ? [] : [{ ...m, terminalId: out.terminal.id, channel: out.channel }];
    });
    return { ...r, members };
  },
  substitutions: (r, plan, choices) => {
    const strips = (r['strips'] as AnyRecord[]).flatMap((s) => {
      const fed = endIn(s, plan, choices, (t) => t.patchFrom.length > 0);
      const from = fed && endIn(s, plan, choices, (t) => fed.terminal.patchFrom.includes(t.id));
      const ends = fed && { terminalId: fed.terminal.id, channel: fed.channel };
      return ends && from ? [{ ...s, ...ends, fromTerminalId: from.terminal.id, fromChannel: from.channel }] : [];
    });
    return { ...r, strips };
  },
  busSends: (r, plan, choices) => {
    const bus = endIn(r, plan, choices, (t) => t.sendsFrom.length > 0);
    const from = bus && endIn(r, plan, choices, (t) => bus.terminal.sendsFrom.includes(t.id));
    if (bus === null || from === null) return null;
    const tap = r['tap'] === null ? null : (chosen(from.terminal.taps, choices.next().value) ?? null);
    const ends = { terminalId: bus.terminal.id, channel: bus.channel };
    return { ...r, ...ends, fromTerminalId: from.terminal.id, fromChannel: from.channel, tap };
  },
  // A cable is in ports that its ends have.
  links: (r, plan, choices) => {
    const end = (value: unknown) => {
      const { deviceId } = value as { deviceId: string };
      const ports = plan.models.get(plan.devices.get(deviceId)?.modelId ?? '')?.ports ?? [];
      return { ...(value as object), port: chosen(ports, choices.next().value)?.name ?? 'Port' };
    };
    return { ...r, from: end(r['from']), to: end(r['to']) };
  },
  slotUnits: (r, plan, choices) => {
    const ability = plan.models.get(plan.devices.get(r['id'] as string)?.modelId ?? '')?.slots ?? null;
    if (ability === null) return null;
    const settable = [null, ...Array.from({ length: Math.min(blockCount(ability), 64) }, (_, n) => n + 1)].filter((b) =>
      isSettable(ability, b),
    );
    if (settable.length === 0 && ability.talkBlocks + ability.hearBlocks > 0) return null;
    const blocks = (count: number) =>
      Array.from({ length: count }, () => chosen(settable, choices.next().value) ?? null);
    return { ...r, talks: blocks(ability.talkBlocks), hears: blocks(ability.hearBlocks) };
  },
  // A unit stands at the end, and places are in no ring.
  devices: (r, plan) =>
    plan.devices.get(r['throughId'] as string)?.throughId === null ? r : { ...r, throughId: null },
};

/** Tables in which everything that a record points at comes before it; what points at its own table points at earlier records. */
const IN_ORDER: readonly TableName[] = (() => {
  const left = new Set(TABLE_NAMES);
  const order: TableName[] = [];
  while (left.size > 0) {
    const isReady = (t: TableName) => POINTERS_FROM[t].every((r) => r.to === t || !left.has(r.to));
    // A circle of tables (subnets name their queriers) is cut where the field can be empty.
    const canWait = (t: TableName) => POINTERS_FROM[t].every((r) => r.to === t || !left.has(r.to) || r.canBeEmpty);
    const next = [...left].find(isReady) ?? [...left].find(canWait);
    if (next === undefined) throw new Error('tables point at each other in a ring');
    left.delete(next);
    order.push(next);
  }
  return order;
})();

/** Plans with up to `most` records of each table, which hold together; every field of every record takes every kind of value. */
export function arbitraryPlan(most = 4): fc.Arbitrary<Plan> {
  const raw = Object.fromEntries(
    TABLE_NAMES.map((table) => {
      const record = valueOf(declarationOf(table).shape) as fc.Arbitrary<AnyRecord>;
      return [table, table === 'settings' ? fc.tuple(record) : fc.array(record, { minLength: 1, maxLength: most })];
    }),
  ) as unknown as Record<TableName, fc.Arbitrary<readonly AnyRecord[]>>;
  return fc.tuple(fc.record(raw), fc.nat()).map(([records, seed]) => {
    const choices = choicesFrom(seed);
    const kept = Object.fromEntries(TABLE_NAMES.map((t) => [t, [] as AnyRecord[]])) as Record<TableName, AnyRecord[]>;
    const keys = new Map<TableName, Set<string>>(TABLE_NAMES.map((t) => [t, new Set()]));
    const keysOf = (t: TableName) => [...(keys.get(t) as Set<string>)];
    const gear = { devices: new Map<string, Device>(), models: new Map<string, Model>() };
    const gearIn = (table: TableName) =>
      table === 'devices' || table === 'models' ? (gear[table] as Map<string, unknown>) : undefined;
    for (const pass of [1, 2]) {
      for (const table of IN_ORDER) {
        // The second pass fills in what could not be pointed at before its table was there.
        const source = pass === 1 ? records[table] : kept[table].splice(0);
        if (pass === 1) keys.get(table)?.clear();
        gearIn(table)?.clear();
        for (const record of source) {
          const isPointed =
            pass === 2 &&
            !POINTERS_FROM[table].some((r) => r.to !== table && IN_ORDER.indexOf(r.to) > IN_ORDER.indexOf(table));
          const now = isPointed
            ? record
            : pointed(table, pass === 1 ? record : again(table, record, records[table]), keysOf, choices);
          const adapted = now && (ADAPTED[table] === undefined ? now : ADAPTED[table](now, gear, choices));
          if (adapted === null) continue;
          const key = recordKey(table, adapted);
          if (pass === 1 && keys.get(table)?.has(key)) continue;
          keys.get(table)?.add(key);
          kept[table].push(adapted);
          gearIn(table)?.set(adapted['id'] as string, adapted);
        }
      }
    }
    return planOfRecords(kept as Records);
  });
}

/** The record with its lists as they first were, so that what was emptied for want of targets can be filled. */
function again(table: TableName, record: AnyRecord, originals: readonly AnyRecord[]): AnyRecord {
  const first = originals.find((o) => o['id'] === record['id']);
  if (first === undefined) return record;
  const fields = POINTERS_FROM[table].filter((r) => r.to !== table && r.canBeEmpty && POINTERS_FROM[r.to].length > 0);
  const names = fields.map((r) => r.fieldOf(record, '').match(/\w+/)?.[0] as string);
  return { ...record, ...Object.fromEntries(names.map((n) => [n, first[n]])) };
}

export const recordsOfPlan = (plan: Plan): Records =>
  Object.fromEntries(TABLE_NAMES.map((t) => [t, [...recordsIn(t, plan[t])]])) as unknown as Records;
