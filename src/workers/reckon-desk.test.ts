import { NO_LOSSES, clocksOf } from '../core/clocks/clocks';
import { fileOfPlan, planOfFile } from '../core/formats/plan-file';
import { apply, feed, modelNamed, planOf } from '../core/plan/test-plan';
import { reckon } from '../core/reckon/reckon';
import { skerryPoint } from '../demo/skerry-point';
import { reckonDesk } from './reckon-desk';

const file = skerryPoint();
const plan = planOfFile(file);
const reckoning = reckon(plan);
const desk = reckonDesk();
const loaded = desk.load(file);
const sumOf = (terms: readonly { readonly role: string; readonly value: number }[], role: string) =>
  terms.filter((t) => t.role === role).reduce((sum, t) => sum + t.value, 0);

describe('what the worker says of cables', () => {
  test('the load of every direction is the sum of its terms, and its streams are what the media term says', () => {
    const { linkIds, bitsPerSecond, streams } = loaded.network!;
    linkIds.forEach((linkId, n) => {
      const detail = desk.linkDetail(linkId)!;
      detail.directions.forEach((direction, side) => {
        const d = 2 * n + side;
        expect(direction.bitsPerSecond).toBe(bitsPerSecond[d]);
        expect(sumOf(direction.terms, 'addend')).toBeCloseTo(direction.bitsPerSecond, 3);
        const media = direction.terms.filter((t) => ['mediaLoad', 'querierLoad', 'floodedLoad'].includes(t.name));
        const carried = direction.streams.reduce((sum, s) => sum + s.bitsPerSecond * s.copies, 0);
        expect(sumOf(media, 'addend')).toBeCloseTo(carried, 3);
        expect(direction.streams.reduce((sum, s) => sum + s.copies, 0)).toBe(streams[d]);
        expect(direction.share).toBeCloseTo(direction.bitsPerSecond / direction.usableBitsPerSecond, 9);
      });
    });
  });

  test('a stream is listed at a cable with the receivers whose way runs over it, and none else', () => {
    // Looked up the slow way: hop by hop of every lane of the receiver.
    const [receiverId] = [...reckoning.lanesByReceiver.keys()].filter((id) => id === 'dome-amp-1');
    const lane = [...reckoning.lanesByReceiver.get(receiverId!)!.values()].find((l) => l.verdict !== 'refused')!;
    const { wayA } = lane.reception!.pair;
    for (const { id } of wayA!.hops().links) {
      const directions = desk.linkDetail(id)!.directions;
      const found = directions.flatMap((d) => d.streams).filter((s) => s.streamId === lane.reception!.stream.id);
      expect(found.some((s) => s.leg === 'A' && s.receiverIds.includes(receiverId!))).toBe(true);
    }
    const far = desk.linkDetail('drop-loft-console-b')!.directions.flatMap((d) => d.streams);
    expect(far.filter((s) => s.leg === 'A')).toEqual([]);
  });

  test('a cable that is not there has no details, and a spare ring cable is idle', () => {
    expect(desk.linkDetail('no-such-cable')).toBeNull();
    const idle = [...loaded.network!.idleLinkIds];
    for (const id of idle) {
      expect(desk.linkDetail(id)!.isIdle).toBe(true);
      expect(desk.linkDetail(id)!.directions.flatMap((d) => d.streams)).toEqual([]);
    }
  });
});

describe('what the worker says of streams', () => {
  const streams = desk.streams();

  test('there are as many as the totals say; what they put on the wire is what the totals say', () => {
    expect(streams).toHaveLength(loaded.totals.streams);
    const sent = streams.reduce((sum, s) => {
      const legs = [s.groupA, s.groupB].filter((g) => g !== null).length;
      return sum + s.bitsPerSecond * legs;
    }, 0);
    expect(sent).toBeCloseTo(loaded.totals.sentBitsPerSecond, 0);
    for (const s of streams) expect(s.sum.find((t) => t.role === 'result' && t.unit === 'bit/s')?.value).toBeDefined();
  });

  test('each receiver of a stream has a lane in it, and each lane is in a stream that knows its receiver', () => {
    const byId = new Map(streams.map((s) => [s.id, s]));
    for (const s of streams) {
      for (const id of s.receiverIds) {
        expect([...loaded.lanes.get(id)!.values()].some((l) => l.streamId === s.id)).toBe(true);
      }
    }
    for (const [id, lanes] of loaded.lanes) {
      for (const lane of lanes!.values()) {
        if (lane.verdict === 'refused') continue;
        expect(byId.get(lane.streamId!)!.receiverIds).toContain(id);
        expect(lane.position).toBeLessThanOrEqual(lane.width!);
      }
    }
  });

  test('every stream comes out as SDP that names its group', () => {
    const sdp = desk.sdpFiles();
    expect(sdp.length).toBeGreaterThan(0);
    const all = sdp.map((f) => f.text).join('\n');
    for (const s of streams.filter((x) => !x.isUnicast && x.groupA !== null)) expect(all).toContain(s.groupA!);
  });
});

describe('what the worker says of a lane', () => {
  test('every lane of the demo opens to its working: the stream, its legs hop by hop, the offset', () => {
    for (const [receiverId, lanes] of loaded.lanes) {
      for (const [channel, lane] of lanes!) {
        // Hops that do not add up to the transit throw.
        const detail = desk.explain(receiverId, channel)!;
        expect(detail.verdict).toBe(lane.verdict);
        if (lane.verdict === 'refused') {
          expect(detail.reason).not.toBeNull();
          expect(detail.finding).not.toBeNull();
          continue;
        }
        expect(detail.stream).toMatchObject({ id: lane.streamId, position: lane.position, width: lane.width });
        expect(detail.stream!.channels[lane.position! - 1]).toBe(lane.senderChannel);
        expect(detail.legs.map((l) => l.leg)).toEqual(detail.legs.length === 2 ? ['A', 'B'] : [detail.legs[0]!.leg]);
        expect(detail.offset!.some((t) => t.role === 'result')).toBe(true);
        for (const leg of detail.legs) for (const hop of leg.hops ?? []) expect(hop.ns).toBeGreaterThan(0);
      }
    }
  });

  test('of a refused lane the ways out are tried: each takes the refusal away', () => {
    const refused = [...loaded.lanes].flatMap(([id, lanes]) =>
      [...lanes!].filter(([, l]) => l.verdict === 'refused').map(([channel]) => [id, channel] as const),
    );
    expect(refused.length).toBe(loaded.totals.refusedLanes);
    for (const [id, channel] of refused) {
      const { fixes } = desk.explain(id, channel)!;
      expect(fixes.length).toBeGreaterThan(0);
      for (const fix of fixes) {
        const after = reckon(apply(plan, ...fix.commands))
          .lanesByReceiver.get(id)
          ?.get(channel);
        expect(after?.verdict).not.toBe('refused');
      }
    }
  });

  test('a free channel and a device that is not there have nothing to explain', () => {
    expect(desk.explain('dome-amp-6', 1)).toBeNull();
    expect(desk.explain('nobody', 1)).toBeNull();
  });
});

describe('a preview', () => {
  const own = reckonDesk();
  own.load(file);

  test('counts new streams and refused channels, and moves nothing that stays as it is', () => {
    // A refused lane fed once more onto the next free channel, beside lanes that fit.
    const [receiverId, channel, lane] = [...loaded.lanes]
      .flatMap(([id, lanes]) => [...lanes!].map(([n, l]) => [id, n, l] as const))
      .find(([, , l]) => l.verdict === 'refused')!;
    const taken = loaded.lanes.get(receiverId)!;
    let free = channel + 1;
    while (taken.has(free)) free += 1;
    const outcome = own.preview([
      feed('loft-console', 1, 'dome-amp-6', 1, 8),
      feed(lane.senderDeviceId, lane.senderChannel, receiverId, free),
    ]);
    if (!outcome.ok) throw new Error('refused');
    const { result } = outcome;
    const before = new Set(desk.streams().map((x) => x.id));
    const after = own.streams().map((x) => x.id);
    expect([...result.newStreamIds].sort()).toEqual(after.filter((id) => !before.has(id)).sort());
    expect(result.changes).toHaveLength(9);
    expect(result.refusedChannels).toBe(1);
    expect(result.interruptions).toEqual([]);
    expect(own.explain(receiverId, free)?.reason?.code).toBe(lane.reason!.code);
    own.endPreview();
    expect(own.explain(receiverId, free)).toBeNull();
  });

  test('names every lane that does not go on as it is, with the reason, and shows it as moved', () => {
    const [sender, streams] = [...reckoning.streamsBySender].find(([, s]) => s[0]!.receiverDeviceIds.length > 0)!;
    const { streamNumber, channels, format, receiverDeviceIds } = streams[0]!;
    const sent = {
      ...{ senderDeviceId: sender, streamNumber, channels: [...channels], format, groupA: null, groupB: null },
      receivers: receiverDeviceIds.map((deviceId) => ({ deviceId, streamNumber: 1 })),
    };
    const carrying = reckonDesk();
    carrying.load(fileOfPlan(apply(plan, { kind: 'keep-sent-streams', put: [sent], drop: [] })));
    const outcome = carrying.preview([
      {
        kind: 'put-group-choice',
        choice: { senderDeviceId: sender, streamNumber, groupA: '239.69.200.9', groupB: null },
      },
    ]);
    if (!outcome.ok) throw new Error('refused');
    const { interruptions, delta } = outcome.result;
    const named = interruptions.flatMap((i) => i.channels.map((channel) => `${i.deviceId} ${channel}`));
    const heard = [...reckoning.lanesByReceiver].flatMap(([id, lanes]) =>
      [...lanes].flatMap(([channel, l]) =>
        l.reception?.stream.id === `${sender}/${streamNumber}` ? [`${id} ${channel}`] : [],
      ),
    );
    expect(named.sort()).toEqual(heard.sort());
    expect(new Set(interruptions.map((i) => i.why.code))).toEqual(new Set(['group']));
    for (const { deviceId, channels } of interruptions)
      for (const channel of channels) expect(delta.lanes.get(deviceId)?.get(channel)?.isMoved).toBe(true);
  });
});

describe('what the worker says of clocks', () => {
  const master = loaded.totals.grandmasterId!;

  test('a loss ends in the clocks that the plan has without what is lost, and silences the lanes of what is lost', () => {
    const loss = { deviceIds: [master], linkIds: [], referenceIds: [] };
    const view = desk.clockLoss(loss)!;
    const after = clocksOf(plan, reckoning.topology, { ...NO_LOSSES, deviceIds: new Set([master]) });
    expect(view.after.time.grandmasterIds).toEqual(after.time.grandmasterIds);
    expect(view.steps.length).toBeGreaterThan(0);
    const amp = desk.clockLoss({ deviceIds: ['dome-amp-1'], linkIds: [], referenceIds: [] })!;
    const count = amp.lanes.filter((l) => l.how === 'silent').reduce((sum, l) => sum + l.lanes, 0);
    const own = [...loaded.lanes.get('dome-amp-1')!.values()].filter((l) => l.verdict !== 'refused').length;
    expect(count).toBe(own);
    expect(amp.lanes.every((l) => l.how !== 'silent' || l.receiverId === 'dome-amp-1')).toBe(true);
  });

  test('why a grandmaster leads is told against the next one; why another does not, against the grandmaster', () => {
    const leads = desk.clockWhy(master)!;
    expect([leads.leads, leads.comparison.aId]).toEqual([true, master]);
    const follower = desk.clockWhy('dome-amp-1')!;
    expect([follower.leads, follower.comparison.aId, follower.comparison.bId]).toEqual([false, master, 'dome-amp-1']);
    expect(desk.clockWhy('nobody')).toBeNull();
  });
});

describe('larger questions to the worker', () => {
  test('what a budget is spent on adds up to what is wanted of it', () => {
    const boxes = Object.fromEntries(['b1', 'b2', 'b3', 'b4', 'b5'].map((id) => [id, modelNamed('stage-box-24')]));
    let small = planOf({ ...boxes, amp: modelNamed('amp-8') });
    Object.keys(boxes).forEach((id, n) => (small = apply(small, feed(id, 1, 'amp', n + 1))));
    const spent = reckonDesk();
    const { findings } = spent.load(fileOfPlan(small));
    const [finding] = findings.filter((f) => spent.spenders(f).length > 0);
    if (finding?.about !== 'lanes-refused' || finding.reason.code !== 'stream-budget') throw new Error('no budget');
    expect(finding.reason).toMatchObject({ wanted: 5, limit: 4 });
    expect(spent.spenders(finding)).toHaveLength(5);
    for (const other of findings) if (other !== finding) expect(spent.spenders(other)).toEqual([]);
    expect(spent.fixesFor(finding).length).toBeGreaterThan(0);
  });

  test('a plan held against itself differs in nothing; a file that is none is refused with the place', () => {
    expect(desk.readOther('{"format":"something else"}').length).toBeGreaterThan(0);
    expect(desk.mergeOther([])).toBeNull();
    expect(desk.readOther(JSON.stringify(file))).toEqual([]);
    expect(desk.mergeOther([])!.commands).toEqual([]);
    const more = fileOfPlan(apply(plan, feed('loft-console', 1, 'dome-amp-6', 1)));
    expect(desk.readOther(JSON.stringify(more))).toEqual([]);
    const [command] = desk.mergeOther([])!.commands;
    expect(reckon(apply(plan, command!)).lanesByReceiver.get('dome-amp-6')?.get(1)?.verdict).toBe('fits');
  });

  test('repacking is searched step by step, and its commands give the streams that it promised', () => {
    const search = reckonDesk();
    search.load(file);
    expect(search.workOnRepack(1)).toBeNull();
    const start = search.startRepack({ goal: 'streams', mayInterrupt: false })!;
    let state = start;
    for (let n = 0; n < 200 && state.casesDone < state.cases; n += 1) state = search.workOnRepack(50)!;
    expect(state.streams).toBeLessThan(start.streamsBefore);
    const after = reckon(apply(plan, ...search.repackCommands()));
    expect([...after.streamsBySender.values()].flat()).toHaveLength(state.streams);
    // A plan that moves on takes the search with it.
    search.advance([{ table: 'settings', before: plan.settings, after: { ...plan.settings, name: 'Renamed' } }]);
    expect(search.workOnRepack(1)).toBeNull();
  });

  test('without a plan nothing is said and nothing can be done', () => {
    const empty = reckonDesk();
    expect(() => empty.advance([])).toThrow('no plan');
    expect(() => empty.preview([])).toThrow('no plan');
    expect([empty.explain('a', 1), empty.linkDetail('l'), empty.clockWhy('a')]).toEqual([null, null, null]);
    expect([empty.streams(), empty.sdpFiles(), empty.repackCommands()]).toEqual([[], [], []]);
  });
});
