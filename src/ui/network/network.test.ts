import { searchFor } from '@/ui/parts/find-text';
import fc from 'fast-check';
import { fileOfPlan, planOfFile } from '@/core/formats/plan-file';
import { fieldLinkFindings } from '@/core/findings/field-links';
import { switchSheetOf, switchSheetText } from '@/core/formats/switch-sheet';
import { applyCommands } from '@/core/plan/apply-commands';
import { brokenPlan, mistakesIn } from '@/core/plan/test-breaks';
import { apply, cable } from '@/core/plan/test-plan';
import type { Plan } from '@/core/plan/plan';
import { generatePlan } from '@/demo/generate';
import { skerryPoint } from '@/demo/skerry-point';
import { cautionWords, longReason, shortReason } from '@/ui/parts/lane-words';
import { findingTitle, fixWords } from '@/ui/parts/finding-words';
import { sortedBy } from '@/ui/parts/sorted-sheet';
import { cablesSheet, SUBNETS } from './sheets';
import { runTo, toggled } from '@/ui/parts/marks';
import { percent } from '@/ui/parts/units';
import { wrongOrder } from '@/ui/parts/wrong';
import { merged, type View } from '@/ui/session/view';
import { reckonDesk } from '@/workers/reckon-desk';
import { drawingGraph, layoutKey, usualFolds } from './drawing-graph';
import { cableRows, dhcpText, streamRows, subnetRows, switchRows } from './network-rows';
import { parseSelection, selectionText } from '@/ui/parts/selection';
import { NETWORK_KINDS } from './selection';
import { expectSame } from '@/core/plan/test-same';

function opened(plan: Plan) {
  const desk = reckonDesk();
  return { desk, plan, view: merged(null, desk.load(fileOfPlan(plan))) };
}
const skerry = opened(planOfFile(skerryPoint()));
const { plan, view, desk } = skerry;

/** A view whose maps stand in one order, without the time it took. */
function inOrder({ lanes, budgets, findings, totals, network }: View) {
  const sorted = <T>(map: ReadonlyMap<string, T>) => [...map].sort(([a], [b]) => (a < b ? -1 : 1));
  const { linkIds, bitsPerSecond, streams, usableBitsPerSecond, ...rest } = network;
  const links = linkIds.map((id, n) => [
    id,
    [...bitsPerSecond.slice(2 * n, 2 * n + 2)].map(Math.round),
    [...streams.slice(2 * n, 2 * n + 2)],
    usableBitsPerSecond[n],
  ]);
  return {
    lanes: sorted(lanes),
    budgets: sorted(budgets),
    findings: [...findings].sort((a, b) => (a.id < b.id ? -1 : 1)),
    totals,
    links: links.sort(([a], [b]) => (String(a) < String(b) ? -1 : 1)),
    idle: [...rest.idleLinkIds].sort(),
    groups: sorted(rest.groupsAtSwitch),
  };
}

describe('what the worker tells the page', () => {
  test('only what changed, and the loads only when they did', () => {
    const { desk: own, plan: start } = opened(plan);
    const renamed = own.advance([
      {
        table: 'devices',
        before: start.devices.get('dome-amp-1')!,
        after: { ...start.devices.get('dome-amp-1')!, notes: 'x' },
      },
    ]);
    expect(renamed.network).toBeNull();
    const first = start.subscriptions.get('dome-amp-1')!.get(1)!;
    const cleared = own.advance([{ table: 'subscriptions', before: first, after: null }]);
    expect(cleared.network).not.toBeNull();
    expect([...cleared.lanes.keys()]).toContain('dome-amp-1');
    expect([...cleared.lanes.keys()]).not.toContain('exhibit-1');
  });

  test('a preview leaves the plan as it is, and says which lanes it would refuse', () => {
    const { desk: own, view: before } = opened(plan);
    const outcome = own.preview([{ kind: 'change-settings', settings: { multicastTtl: 1 } }]);
    if (!outcome.ok) throw new Error('no preview');
    const after = merged(before, outcome.result.delta);
    expect(after.totals.refusedLanes).toBeGreaterThan(before.totals.refusedLanes);
    own.endPreview();
    expect(own.explain('dome-renderer', 1)).toMatchObject({ verdict: 'fits' });
    expect(own.preview([{ kind: 'remove-device', deviceId: 'nobody' }])).toMatchObject({ ok: false });
  });

  test('a link opens to the streams in it, whose bits add up to its media, each with where it goes and by which VLAN', () => {
    const detail = desk.linkDetail('up-wave-edge-a')!;
    const [up] = detail.directions;
    const media = up.terms.find((t) => t.name === 'mediaLoad')!.value;
    expect(up.streams.reduce((sum, s) => sum + s.bitsPerSecond * s.copies, 0)).toBeCloseTo(media, 3);
    expect(up.streams[0]).toMatchObject({
      streamId: 'wave-stage-box/1',
      receiverIds: ['archive-recorder', 'loft-console'],
      vlans: [{ subnetId: 'a-north', rootId: 'core-a' }],
    });
    expect(desk.linkDetail('none')).toBeNull();
  });

  test('a routed lane is told hop by hop, with the router among them and the wait behind other streams', () => {
    const detail = desk.explain('dome-renderer', 1)!;
    expect(detail.legs[0]!.hops!.map((h) => [h.switchName, h.isRouter])).toEqual([
      ['Loft edge A', false],
      ['North core A', true],
      ['South edge A', false],
      [null, false],
    ]);
    expect(detail.legs[0]!.hops!.every((h) => h.queueNs >= 0)).toBe(true);
    expect(detail.shared).toEqual({ switchIds: [], linkIds: [] });
    expect(desk.explain('loft-console', 1)!.shared!.switchIds).toEqual(['wave-edge-a']);
  });

  test('change by change, the page comes to show what it would show had it just been opened', () => {
    fc.assert(
      fc.property(mistakesIn(plan), ({ plans, commands }) => {
        const own = opened(plan);
        let shown = own.view;
        for (const [index, command] of commands.entries()) {
          const result = applyCommands(plans[index]!, [command]);
          if (result.ok) shown = merged(shown, own.desk.advance(result.changes));
        }
        expectSame(inOrder(shown), inOrder(opened(plans[plans.length - 1]!).view));
      }),
      { numRuns: 25 },
    );
  });

  test('every finding of Skerry Point has at least one fix, and no two of its fixes are worded alike', () => {
    for (const finding of view.findings) {
      const fixes = desk.fixesFor(finding).map((f) => fixWords(plan, f));
      expect(fixes.length).toBeGreaterThan(0);
      expect(new Set(fixes).size).toBe(fixes.length);
    }
  });

  test('whatever is wrong, it is told in words that name devices, subnets and streams as people do', () => {
    const ids = [...plan.devices.values()].filter((d) => d.id !== d.name).map((d) => d.id);
    fc.assert(
      fc.property(brokenPlan(plan), (broken) => {
        const own = opened(broken);
        for (const finding of own.view.findings) {
          const told = [findingTitle(broken, finding), ...own.desk.fixesFor(finding).map((f) => fixWords(broken, f))];
          for (const words of told) {
            expect(words).not.toMatch(/undefined|NaN|null|Infinity|\[object|^$/);
            expect(ids.filter((id) => words.includes(id))).toEqual([]);
          }
        }
        for (const [receiverId, lanes] of own.view.lanes) {
          for (const { senderDeviceId, reason, caution } of lanes.values()) {
            const told = [
              ...(reason ? [shortReason(reason), longReason(broken, reason, senderDeviceId, receiverId)] : []),
              ...(caution ? [cautionWords(broken, caution, senderDeviceId, receiverId)] : []),
            ];
            for (const words of told) expect(words).not.toMatch(/undefined|NaN|null|Infinity|\[object|^$/);
          }
        }
      }),
      { numRuns: 25 },
    );
  });
});

describe('the rows of the sheets', () => {
  test('cables can be put with the busiest first, and found by either end', () => {
    const rows = sortedBy(cablesSheet(70), cableRows(plan, view, searchFor(''), null), {
      column: 'busiest',
      isDescending: true,
    });
    expect(rows[0]!.link.id).toBe('up-wave-edge-a');
    expect(rows[0]!.wrong).toEqual({ refusals: 1, cautions: 0 });
    expect(rows[0]!.busiest).toBe(view.totals.busiest!.share);
    expect(cableRows(plan, view, searchFor('dome renderer'), null)).toHaveLength(2);
    expect(cableRows(plan, view, searchFor(''), 'pier').every((r) => /Intercom/.test(r.from))).toBe(true);
  });

  test('subnets come in the order of addresses, with what they give by DHCP in few letters', () => {
    const rows = subnetRows(plan, view, searchFor(''));
    const sorted = sortedBy(SUBNETS, rows, { column: 'cidr', isDescending: false });
    expect(sorted.map((r) => r.subnet.id).slice(0, 3)).toEqual(['a-north', 'a-south', 'a-pier']);
    expect(dhcpText(plan.subnets.get('a-north')!)).toBe('10.71.36.200 – .239');
    expect(dhcpText(plan.subnets.get('a-south')!)).toBe('');
    expect(subnetRows(plan, view, searchFor('300')).map((r) => r.subnet.id)).toEqual(['control']);
  });

  test('switches tell sockets, groups and watts, streams the groups chosen by hand', () => {
    const gallery = switchRows(plan, view, searchFor('gallery'), null)[0]!;
    expect(gallery).toMatchObject({ portsUsed: 15, ports: 18, watts: 98, budgetW: 90, fitness: 'fit' });
    expect(wrongOrder(gallery.wrong)).toBe(1000);
    const streams = streamRows(plan, view, desk.streams(), searchFor('dome renderer 239.71.9.20'), null);
    expect(streams.map((r) => [r.stream.id, r.stream.isChosenA, r.stream.isChosenB])).toEqual([
      ['dome-renderer/1', true, false],
    ]);
  });

  test('runs and toggles of a selection', () => {
    const keys = ['a', 'b', 'c', 'd'];
    expect([...runTo(keys, 'b', 'd')]).toEqual(['b', 'c', 'd']);
    expect([...runTo(keys, 'd', 'b')]).toEqual(['d', 'c', 'b']);
    expect([...runTo(keys, 'gone', 'b')]).toEqual(['b']);
    expect([...toggled(new Set(['a', 'b']), 'a')]).toEqual(['b']);
    expect([...toggled(new Set(['a']), 'b')]).toEqual(['a', 'b']);
  });

  test('a selection goes into the address bar and out of it', () => {
    expect(parseSelection(NETWORK_KINDS, selectionText('stream', 'loft-console/3'))).toEqual({
      kind: 'stream',
      id: 'loft-console/3',
    });
    for (const text of [null, '', 'nothing', 'moon:1', 'link:']) expect(parseSelection(NETWORK_KINDS, text)).toBeNull();
  });

  test.each([
    [0.00126, '0.13 %'],
    [0.0462, '4.62 %'],
    [0.926348, '92.6 %'],
    [1.234, '123 %'],
    [Infinity, 'more than all'],
  ])('a share of %d reads %s', (share, words) => expect(percent(share)).toBe(words));
});

describe('the drawing', () => {
  const graphOf = (p: Plan, v: View, folds = usualFolds(p)) => drawingGraph(p, v, folds);

  test('shows every device once and every cable once, however places are folded', () => {
    for (const fold of ['closed', 'switches', 'open'] as const) {
      const folds = new Map([...usualFolds(plan).keys()].map((id) => [id, fold]));
      const { nodes, edges } = graphOf(plan, view, folds);
      const boxes = nodes.filter((n) => n.kind !== 'place');
      const plugged = [...plan.devices.values()].filter((d) => plan.models.get(d.modelId)?.slots === null);
      expect(boxes.flatMap((n) => n.deviceIds).sort()).toEqual(plugged.map((d) => d.id).sort());
      const drawn = edges.flatMap((e) => e.linkIds);
      expect(new Set(drawn).size).toBe(drawn.length);
      const nodeOf = new Map(boxes.flatMap((n) => n.deviceIds.map((id) => [id, n.id] as const)));
      const between = [...plan.links.values()].filter((l) => nodeOf.get(l.from.deviceId) !== nodeOf.get(l.to.deviceId));
      expect(drawn.length).toBe(between.length);
    }
  });

  test('a card has its switches line by line and the rest in one, with the cables that do not leave it', () => {
    const gallery = graphOf(plan, view).nodes.find((n) => n.id === 'place:tide-gallery')!;
    expect(gallery.kind).toBe('card');
    expect(gallery.rows.map((r) => [r.kind, r.title, r.innerLinkIds.length])).toEqual([
      ['switch', 'Gallery edge A', 14],
      ['rest', '14 devices', 0],
    ]);
  });

  test('cables run outwards from routers, and an edge tells the busiest of its cables', () => {
    const { edges } = graphOf(plan, view);
    const wave = edges.find((e) => e.linkIds.includes('up-wave-edge-a'))!;
    expect(wave.sourceRow).toBe('device:core-a');
    expect(wave.targetRow).toBe('device:wave-edge-a');
    expect(wave.share).toBe(view.totals.busiest!.share);
  });

  test('a load that changes moves nothing; a place that opens does', () => {
    const fed = apply(plan, { kind: 'change-settings', settings: { controlBitsPerSecond: 0 } });
    expect(layoutKey(graphOf(fed, opened(fed).view))).toBe(layoutKey(graphOf(plan, view)));
    const folds = new Map([...usualFolds(plan), ['dome', 'open' as const]]);
    expect(layoutKey(graphOf(plan, view, folds))).not.toBe(layoutKey(graphOf(plan, view)));
  });

  test('a large plan opens by its outermost places, a small one whole', () => {
    const large = opened(planOfFile(generatePlan({ devices: 2000, seed: 3, subscriptions: 50 })));
    const graph = graphOf(large.plan, large.view);
    expect(graph.nodes.every((n) => n.kind === 'closed')).toBe(true);
    expect(graph.nodes.length).toBeLessThan(20);
    const small = opened(planOfFile(generatePlan({ devices: 20, seed: 3 })));
    expect(graphOf(small.plan, small.view).nodes.some((n) => n.kind === 'device')).toBe(true);
  });

  test('a ring leaves a cable idle, drawn as such', () => {
    const ring = apply(
      plan,
      cable('ring', 'loft-edge-a', 'Uplink 2', 'gallery-edge-a', 'Uplink 2', { metres: 20, carries: ['a-north'] }),
    );
    const { view: after } = opened(ring);
    expect([...after.network.idleLinkIds]).toEqual(['ring']);
    expect(graphOf(ring, after).edges.find((e) => e.linkIds.includes('ring'))!.isIdle).toBe(true);
    expect(after.findings.some((f) => f.about === 'loop')).toBe(false);
  });
});

describe('a switch’s settings sheet', () => {
  test('names every socket with its VLAN, the DiffServ queues and who asks for memberships', () => {
    const sheet = switchSheetOf(plan, 'wave-edge-a')!;
    expect(sheet.ports.find((p) => p.port === 'Uplink 2')).toMatchObject({
      mode: 'trunk',
      vlans: ['231', '246', '300'],
      to: 'North core B Uplink 3',
    });
    expect(sheet.ports.filter((p) => p.mode === 'access').every((p) => p.vlans.length === 1)).toBe(true);
    const text = switchSheetText(sheet);
    expect(text).toContain('DSCP 46         queue 7');
    expect(text).toContain('DSCP 34         queue 6');
    expect(text).toMatch(/VLAN 131 +querier off \(North core A asks\)/);
    expect(text).toMatch(/Port 24 +off/);
    expect(switchSheetOf(plan, 'loft-console')).toBeNull();
  });

  test('a powered socket has its watts in it', () => {
    expect(switchSheetText(switchSheetOf(plan, 'gallery-edge-a')!)).toMatch(
      /Port 1 +100 Mb\/s +untagged 131, PoE 7 W +Exhibit 01 Media/,
    );
  });
});

describe('what switches report', () => {
  const found = (bitsPerSecond: number | null, duplex: 'full' | 'half' | null = 'full', isUp = true) =>
    fieldLinkFindings(plan, new Map([['drop-dome-amp-1-a', { isUp, bitsPerSecond, duplex }]])).map((f) => f.about);

  test('a cable that came up slower than planned, or in half duplex, is a caution; one that is down or silent is not', () => {
    expect(found(1e8)).toEqual(['link-slower']);
    expect(found(1e9)).toEqual([]);
    expect(found(1e9, 'half')).toEqual(['link-half-duplex-found']);
    expect(found(null)).toEqual([]);
    expect(found(1e7, 'half', false)).toEqual([]);
    expect(
      fieldLinkFindings(plan, new Map([['no-such-cable', { isUp: true, bitsPerSecond: 1, duplex: null }]])),
    ).toEqual([]);
  });
});
