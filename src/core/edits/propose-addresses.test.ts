import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from '../formats/plan-file';
import { formatAddress, isHostOfBlock, parseAddress, parseCidr, type Block } from '../network/address';
import { isRouted, type Interface } from '../network/interfaces-table';
import { isSetAside } from '../network/subnets';
import type { Plan } from '../plan/plan';
import { fixesFor } from '../findings/rules';
import { reckon } from '../reckon/reckon';
import { choice, chosen } from '../plan/test-arbitrary';
import { apply } from '../plan/test-plan';
import { freeVlan, proposeAddresses, proposeMove, resizeSubnet, splitSubnet } from './propose-addresses';

const house = planOfFile(skerryPoint());
const interfacesIn = (plan: Plan): Interface[] => [...plan.interfaces.values()].flatMap((own) => [...own.values()]);
const blockOf = (plan: Plan, i: Interface) => parseCidr(plan.subnets.get(i.subnetId ?? '')?.cidr ?? '');

/** Whether nothing speaks against an address, looked at by itself and beside all others: of several that have it the first keeps it. */
function isSound(plan: Plan, i: Interface): boolean {
  const block = blockOf(plan, i);
  const address = i.address === null ? null : parseAddress(i.address);
  const subnet = plan.subnets.get(i.subnetId ?? '');
  if (block === null || address === null || subnet === undefined) return false;
  const holders = interfacesIn(plan).filter((other) => other.address === i.address);
  const [first] = holders.map((other) => `${other.deviceId}/${other.name}`).sort();
  return isHostOfBlock(address, block) && !isSetAside(subnet, address) && first === `${i.deviceId}/${i.name}`;
}

const mistake = fc.constantFrom('none', 'outside', 'network', 'dhcp', 'taken');
const mistakes = fc.array(fc.tuple(choice, mistake, choice), { maxLength: 12 });

/** The house with some addresses as they should not be. */
function withMistakes(wrong: readonly (readonly [number, string, number])[]): Plan {
  let plan = house;
  for (const [who, what, whose] of wrong) {
    const own = chosen(
      interfacesIn(plan).filter((i) => !isRouted(i) && i.subnetId !== null),
      who,
    );
    const block = own && blockOf(plan, own);
    if (own === undefined || !block) continue;
    const subnet = plan.subnets.get(own.subnetId ?? '');
    const address =
      what === 'none'
        ? null
        : what === 'outside'
          ? formatAddress((block.base ^ 0x01000000) >>> 0)
          : what === 'network'
            ? formatAddress(block.base)
            : what === 'dhcp'
              ? (subnet?.dhcp?.first ?? null)
              : (chosen(interfacesIn(plan), whose)?.address ?? null);
    plan = apply(plan, { kind: 'put-interface', interface: { ...own, address } });
  }
  return plan;
}

test('law: whoever has no sound address gets one, and nobody else is touched', () => {
  let given = 0;
  fc.assert(
    fc.property(mistakes, (wrong) => {
      const plan = withMistakes(wrong);
      const ids = [...plan.devices.keys()];
      const { changes, left, commands } = proposeAddresses(plan, ids);
      const after = apply(plan, ...commands);
      const wanting = interfacesIn(plan).filter((i) => !isRouted(i) && i.subnetId !== null && !isSound(plan, i));
      const nameOf = (i: { deviceId: string; interface: string }) => `${i.deviceId}/${i.interface}`;
      const wanted = wanting.map((i) => `${i.deviceId}/${i.name}`).sort();
      expect([...changes, ...left].map(nameOf).sort()).toEqual(wanted);
      for (const { deviceId, interface: name, before, after: address } of changes) {
        const now = after.interfaces.get(deviceId)?.get(name) as Interface;
        expect([now.address, before]).toEqual([address, plan.interfaces.get(deviceId)?.get(name)?.address ?? null]);
        expect([address, isSound(after, now)]).toEqual([address, true]);
      }
      const touched = new Set(changes.map(nameOf));
      for (const i of interfacesIn(plan)) {
        if (touched.has(`${i.deviceId}/${i.name}`)) continue;
        expect(after.interfaces.get(i.deviceId)?.get(i.name)).toEqual(i);
      }
      given += changes.length;
    }),
    { numRuns: 60 },
  );
  expect(given).toBeGreaterThan(60);
});

test('law: who moves to another subnet keeps the host part of the address where that is free', () => {
  let kept = 0;
  fc.assert(
    fc.property(mistakes, fc.array(choice, { minLength: 1, maxLength: 6 }), choice, (wrong, who, where) => {
      const plan = withMistakes(wrong);
      const ids = [...new Set(who.map((at) => chosen([...plan.devices.keys()], at) as string))];
      const target = chosen(
        [...plan.subnets.values()].filter((s) => s.role === 'A'),
        where,
      );
      if (target === undefined) return;
      const { changes, commands } = proposeMove(plan, ids, { A: target.id });
      const after = apply(plan, ...commands);
      const to = parseCidr(target.cidr) as Block;
      for (const { deviceId, interface: name, before, after: address } of changes) {
        expect([name, after.interfaces.get(deviceId)?.get(name)?.subnetId]).toEqual(['A', target.id]);
        expect(isSound(after, after.interfaces.get(deviceId)?.get(name) as Interface)).toBe(true);
        const own = plan.interfaces.get(deviceId)?.get(name);
        const from = own && blockOf(plan, own);
        const was = before === null ? null : parseAddress(before);
        if (!from || was === null || from.prefix !== to.prefix) continue;
        const wish = formatAddress((to.base | (was & ~from.mask)) >>> 0);
        const isFree =
          !interfacesIn(plan).some((i) => i.address === wish) && isHostOfBlock(parseAddress(wish) as number, to);
        const isFirst = changes.filter((c) => c.after === wish).length <= 1;
        if (isFree && isFirst && !isSetAside(target, parseAddress(wish) as number) && changes.length === 1) {
          expect(address).toBe(wish);
          kept += 1;
        }
      }
    }),
    // One in nine tells something of it.
    { numRuns: 400 },
  );
  expect(kept).toBeGreaterThan(10);
});

test('law: of a subnet that is made smaller it is told just who falls out of it', () => {
  let out = 0;
  fc.assert(
    fc.property(choice, fc.integer({ min: 25, max: 30 }), (which, prefix) => {
      const subnet = chosen([...house.subnets.values()], which);
      const block = subnet && parseCidr(subnet.cidr);
      if (subnet === undefined || !block) return;
      const cidr = `${formatAddress(block.base)}/${prefix}`;
      const outcome = resizeSubnet(house, subnet.id, cidr);
      if (!outcome.ok) throw new Error(outcome.problem);
      const smaller = parseCidr(cidr) as Block;
      const expected = interfacesIn(house).filter(
        (i) =>
          i.subnetId === subnet.id && i.address !== null && !isHostOfBlock(parseAddress(i.address) as number, smaller),
      );
      expect(outcome.fallsOut.map((f) => f.address).sort()).toEqual(expected.map((i) => i.address).sort());
      expect(apply(house, ...outcome.commands).subnets.get(subnet.id)?.cidr).toBe(cidr);
      out += expected.length;
    }),
    { numRuns: 40 },
  );
  expect(out).toBeGreaterThan(10);
});

test('law: the halves of a subnet hold all that it held, each address in its own', () => {
  for (const { id } of house.subnets.values()) {
    const outcome = splitSubnet(house, id);
    if (!outcome.ok) {
      expect(outcome.problem).toBe('too-small-to-split');
      continue;
    }
    const after = apply(house, ...outcome.commands);
    const halves = outcome.subnets.map((s) => s.id);
    expect(halves).toHaveLength(2);
    const fell = new Set(outcome.fallsOut.map((f) => `${f.deviceId}/${f.interface}`));
    for (const i of interfacesIn(house).filter((own) => own.subnetId === id)) {
      const now = after.interfaces.get(i.deviceId)?.get(i.name) as Interface;
      expect([now.address, halves.includes(now.subnetId ?? '')]).toEqual([i.address, true]);
      if (now.address !== null && !fell.has(`${i.deviceId}/${i.name}`))
        expect(isHostOfBlock(parseAddress(now.address) as number, blockOf(after, now) as Block)).toBe(true);
    }
    const [first, second] = outcome.subnets;
    if (second?.vlan != null) expect(second.vlan).not.toBe(first?.vlan);
  }
});

test('what is no subnet is neither resized nor split, and says why', () => {
  expect(resizeSubnet(house, 'nobody', '10.0.0.0/24')).toEqual({ ok: false, problem: 'unknown' });
  expect(resizeSubnet(house, [...house.subnets.keys()][0] as string, 'ten')).toEqual({
    ok: false,
    problem: 'not-a-block',
  });
  expect(splitSubnet(house, 'nobody')).toEqual({ ok: false, problem: 'unknown' });
});

test('a VLAN number that nobody has is the next one upwards, and the first from 2 on when none is left above', () => {
  const vlans = [...house.subnets.values()].flatMap((s) => s.vlan ?? []);
  const [used] = vlans as [number, ...number[]];
  let next = used;
  while (vlans.includes(next)) next += 1;
  expect([freeVlan(house, used), freeVlan(house, null)]).toEqual([next, null]);
  const [subnet] = house.subnets.values();
  const last = apply(house, { kind: 'put-subnet', subnet: { ...(subnet as NonNullable<typeof subnet>), vlan: 4094 } });
  expect(freeVlan(last, 4094)).toBe(2);
});

test('of two devices with one address the one keeps it that the way out of the finding leaves alone, and both give the other the same', () => {
  const finding = reckon(house).findings.find((f) => f.about === 'duplicate-address')!;
  const [fix] = fixesFor(house, finding);
  const { commands } = proposeAddresses(house, [...house.devices.keys()]);
  expect(fix?.does === 'give-address' && fix.commands).toEqual(
    commands.filter((c) => c.kind === 'put-interface' && finding.deviceIds.includes(c.interface.deviceId)),
  );
});
