import type { Command } from '../plan/commands';
import { apply, cable, deviceOf, feed, modelNamed, planOf } from '../plan/test-plan';
import type { Plan } from '../plan/plan';
import { PLAIN_SUBNET } from '../network/subnets-table';
import { usualSwitchSettings } from '../network/switch-settings';
import type { SwitchSettings } from '../network/switches-table';
import { reckon } from '../reckon/reckon';
import { fixesFor } from './rules';

/** Console and amplifier in two subnets on one edge switch, and the router that joins them. */

const edge = modelNamed('edge-switch-24');
const core = modelNamed('core-switch-24');
const address = (deviceId: string, name: string, subnetId: string, host: string): Command => ({
  kind: 'put-interface',
  interface: { deviceId, name, subnetId, address: host },
});
const start = apply(
  planOf({ console: modelNamed('console-72'), amp: modelNamed('amp-8') }),
  {
    kind: 'put-subnet',
    subnet: {
      id: 'b',
      name: 'Far',
      cidr: '10.1.0.0/24',
      vlan: null,
      role: 'A',
      ...PLAIN_SUBNET,
      querierIds: ['router'],
    },
  },
  { kind: 'put-model', model: edge },
  { kind: 'put-model', model: core },
  { kind: 'add-device', device: deviceOf('edge', edge) },
  { kind: 'add-device', device: deviceOf('router', core) },
  address('amp', 'A', 'b', '10.1.0.5'),
  address('router', 'routed:a', 'a', '10.0.0.1'),
  address('router', 'routed:b', 'b', '10.1.0.1'),
  cable('c', 'console', 'Media A', 'edge', 'Port 1'),
  cable('d', 'amp', 'Media A', 'edge', 'Port 2'),
  cable('r', 'edge', 'Uplink 1', 'router', 'Uplink 1'),
  feed('console', 1, 'amp', 1, 2),
);
const set = (plan: Plan, id: string, change: Partial<SwitchSettings>): Plan =>
  apply(plan, {
    kind: 'put-switch',
    settings: { ...usualSwitchSettings(id, id === 'edge' ? edge : core, plan.settings), ...change },
  });
const toGroup = (plan: Plan, groupA: string): Plan =>
  apply(plan, {
    kind: 'put-group-choice',
    choice: { senderDeviceId: 'console', streamNumber: 1, groupA, groupB: null },
  });
const ABOUTS = ['igmp-without-sources', 'igmp-versions-differ', 'pim-any-source', 'pim-no-rendezvous', 'pim-differs'];
const found = (plan: Plan) => reckon(plan).findings.filter((f) => ABOUTS.includes(f.about));
const abouts = (plan: Plan) => found(plan).map((f) => `${f.severity} ${f.about} ${f.deviceIds.join()}`);
/** Every way out takes its finding away. */
function expectMended(plan: Plan): void {
  for (const finding of found(plan)) {
    const fixes = fixesFor(plan, finding);
    expect(fixes.length).toBeGreaterThan(0);
    const mended = fixes.reduce((p, fix) => apply(p, ...fix.commands), plan);
    expect(found(mended).map((f) => f.id)).not.toContain(finding.id);
  }
}

describe('how switches pass groups on', () => {
  test('as usual nothing is wrong, whatever the group', () => {
    expect(abouts(start)).toEqual([]);
    expect(abouts(toGroup(start, '232.1.2.3'))).toEqual([]);
  });

  test('IGMPv2 knows no sources (RFC 2236): a group of 232.0.0.0/8 cannot be joined there (RFC 4607)', () => {
    const old = set(start, 'edge', { igmpVersion: 2 });
    expect(abouts(old)).toEqual(['caution igmp-versions-differ edge']);
    const both = set(old, 'router', { igmpVersion: 2 });
    expect(abouts(both)).toEqual([]);
    const plan = toGroup(both, '232.1.2.3');
    expect(abouts(plan)).toEqual(['refusal igmp-without-sources edge', 'refusal igmp-without-sources router']);
    expectMended(plan);
    expectMended(old);
  });

  test('sparse mode needs a rendezvous point for all groups but source-specific ones (RFC 7761)', () => {
    const plan = set(start, 'router', { pimMode: 'sparse' });
    expect(abouts(plan)).toEqual(['refusal pim-no-rendezvous router']);
    expectMended(plan);
    expect(abouts(set(start, 'router', { pimMode: 'sparse', rendezvousPoint: '10.0.0.1' }))).toEqual([]);
    expect(abouts(toGroup(plan, '232.1.2.3'))).toEqual([]);
  });

  test('a router that is source-specific passes no other groups; dense mode passes all', () => {
    const plan = set(start, 'router', { pimMode: 'source-specific' });
    expect(abouts(plan)).toEqual(['refusal pim-any-source router']);
    expectMended(plan);
    expect(abouts(toGroup(plan, '232.1.2.3'))).toEqual([]);
    expect(abouts(set(start, 'router', { pimMode: 'dense' }))).toEqual([]);
  });

  test('routers on the ways of streams are to be set alike', () => {
    const plan = apply(
      set(start, 'router', { pimMode: 'sparse', rendezvousPoint: '10.0.0.1' }),
      {
        kind: 'put-subnet',
        subnet: { id: 'c', name: 'Farther', cidr: '10.2.0.0/24', vlan: null, role: 'A', ...PLAIN_SUBNET },
      },
      { kind: 'add-device', device: deviceOf('second', core) },
      address('second', 'routed:b', 'b', '10.1.0.2'),
      address('second', 'routed:c', 'c', '10.2.0.1'),
      cable('s', 'edge', 'Uplink 2', 'second', 'Uplink 1'),
      { kind: 'add-device', device: deviceOf('far', modelNamed('amp-8')) },
      address('far', 'A', 'c', '10.2.0.5'),
      cable('f', 'far', 'Media A', 'second', 'Port 1'),
      feed('console', 1, 'far', 1, 2),
    );
    const differing = set(plan, 'second', { pimMode: 'sparse', rendezvousPoint: '10.1.0.2' });
    expect(abouts(differing)).toEqual(['caution pim-differs router,second']);
    expectMended(differing);
    // A router of which nothing is stated is taken to be set right.
    expect(abouts(plan)).toEqual([]);
  });
});
