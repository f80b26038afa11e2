import { fileOfPlan, planOfFile } from '@/core/formats/plan-file';
import { skerryPoint } from '@/demo/skerry-point';
import { age, channelRuns, count, packetTime, time } from '@/ui/parts/units';
import { cautionWords, longReason, shortReason } from '@/ui/parts/lane-words';
import { findingTitle } from '@/ui/parts/finding-words';
import { merged } from '@/ui/session/view';
import { NO_FIELD as field } from '@/ui/session/plan-store';
import { reckonDesk } from '@/workers/reckon-desk';
import { gearRows } from '../gear/gear-rows';
import { DEVICES } from '../gear/gear-sheet';
import { sortedBy } from '../parts/sorted-sheet';
import { laneRows, type ChannelRow, type RowFilter } from './lane-rows';
import { clearSelection, parseSelection, selectionText, selectRow, selectRows, useSelection } from './selection';

const plan = planOfFile(skerryPoint());
const desk = reckonDesk();
const view = merged(null, desk.load(fileOfPlan(plan)));
const filter = (change: Partial<RowFilter> = {}): RowFilter => ({
  text: '',
  placeId: null,
  from: null,
  to: null,
  state: 'any',
  sort: { column: 'channel', isDescending: false },
  folded: new Set(),
  ...change,
});
const channels = (change: Partial<RowFilter> = {}) =>
  laneRows(plan, view, field, filter(change)).filter((r): r is ChannelRow => r.kind === 'channel');

describe('the rows of the lane sheet', () => {
  test('are every receiver channel once, under the head of its device', () => {
    const rows = laneRows(plan, view, field, filter());
    const wanted = [...plan.devices.values()].reduce(
      (sum, d) => sum + (plan.models.get(d.modelId)?.channelsReceive ?? 0),
      0,
    );
    expect(channels()).toHaveLength(wanted);
    expect(rows.filter((r) => r.kind === 'head').reduce((sum, r) => sum + (r.kind === 'head' ? r.shown : 0), 0)).toBe(
      wanted,
    );
  });

  test('are found by device, label or what they hear, all words together', () => {
    expect(channels({ text: 'zenith' })).toHaveLength(8);
    expect(
      channels({ text: 'tide bell' })
        .map((r) => r.deviceId)
        .sort(),
    ).toEqual(['archive-recorder', 'loft-console', 'tank-mixer']);
    expect(channels({ text: 'tide bell moon' })).toEqual([]);
  });

  test('are found by state: free, fed, refused', () => {
    expect(channels({ state: 'refused' })).toEqual([
      { kind: 'channel', deviceId: 'lab-recorder', channel: 13 },
      { kind: 'channel', deviceId: 'lab-recorder', channel: 14 },
    ]);
    expect(channels({ state: 'free' }).length + channels({ state: 'fed' }).length).toBe(channels().length);
    expect(channels({ state: 'fed' })).toHaveLength(328);
  });

  test('are those of a place and what is in it', () => {
    expect(new Set(channels({ placeId: 'tide-gallery' }).map((r) => r.deviceId)).size).toBe(14);
  });

  test('of a folded device are not shown, its head is', () => {
    const rows = laneRows(plan, view, field, filter({ text: 'zenith', folded: new Set(['dome-amp-5']) }));
    expect(rows).toEqual([{ kind: 'head', deviceId: 'dome-amp-5', shown: 8 }]);
  });

  test.each(['channel', 'label', 'state', 'hears', 'stream', 'rate', 'offset'] as const)(
    'sort by %s within a device, and the other way round; none is lost',
    (column) => {
      const up = channels({ text: 'lab recorder', sort: { column, isDescending: false } }).map((r) => r.channel);
      const down = channels({ text: 'lab recorder', sort: { column, isDescending: true } }).map((r) => r.channel);
      expect([...up].sort((a, b) => a - b)).toEqual([...down].sort((a, b) => a - b));
      expect(up).toHaveLength(16);
      if (column === 'channel') expect(down).toEqual([...up].reverse());
    },
  );
});

describe('a selection of rows', () => {
  const rows = [1, 2, 3, 4, 5].map((channel): ChannelRow => ({ kind: 'channel', deviceId: 'amp', channel }));
  const selected = () => [...useSelection.getState().selected];
  beforeEach(() => selectRows([]));

  test('runs from where it began, either way, and again from there', () => {
    selectRow(rows, rows[2]!, 'only');
    selectRow(rows, rows[4]!, 'to');
    expect(selected()).toEqual(['amp:3', 'amp:4', 'amp:5']);
    selectRow(rows, rows[0]!, 'to');
    expect(selected()).toEqual(['amp:1', 'amp:2', 'amp:3']);
  });

  test('takes single rows in and out', () => {
    selectRow(rows, rows[0]!, 'only');
    selectRow(rows, rows[3]!, 'toggle');
    expect(selected()).toEqual(['amp:1', 'amp:4']);
    selectRow(rows, rows[0]!, 'toggle');
    expect(selected()).toEqual(['amp:4']);
    clearSelection();
    expect(selected()).toEqual([]);
  });

  test('goes into the address bar when it is a run of one device', () => {
    expect(selectionText(new Set(['amp:3', 'amp:4']))).toBe('amp:3-4');
    expect(selectionText(new Set(['amp:3', 'amp:5']))).toBeNull();
    expect(selectionText(new Set(['amp:3', 'box:4']))).toBeNull();
    expect(parseSelection('amp:3-4')).toEqual({ deviceId: 'amp', first: 3, last: 4 });
    expect(parseSelection('amp')).toBeNull();
    expect(parseSelection('amp:1-99999999')!.last).toBe(4096);
  });
});

describe('the rows of the gear sheet', () => {
  const rows = gearRows(plan, view, field);

  test('tell budgets, addresses and what is wrong, for both of two devices with one address', () => {
    const of = (id: string) => rows.find((r) => r.device.id === id)!;
    expect(of('loft-console')).toMatchObject({
      addressA: '10.71.36.11',
      addressB: '10.72.36.11',
      live: { is: 'on-paper' },
    });
    expect(of('core-a').live.is).toBe('not-followed');
    expect([of('exhibit-11').wrong.refusals, of('exhibit-12').wrong.refusals]).toEqual([1, 1]);
    expect(of('wave-stage-box').wrong.cautions).toBe(3);
  });

  test('sort numbers as numbers and names as people count', () => {
    const by = (column: string, isDescending: boolean) => sortedBy(DEVICES, rows, { column, isDescending });
    const names = by('name', false).map((r) => r.device.name);
    expect(names.indexOf('Exhibit 02')).toBeLessThan(names.indexOf('Exhibit 10'));
    const inward = by('in', true).map((r) => r.budget?.channelsReceive.used ?? 0);
    expect(inward).toEqual([...inward].sort((a, b) => b - a));
    expect(by('wrong', true)[0]!.wrong.refusals).toBeGreaterThan(0);
  });
});

describe('the words for what the core says', () => {
  test('name the devices, the numbers and the units', () => {
    const reason = { code: 'rate-differs', senderRateHz: 48_000, receiverRateHz: 96_000 } as const;
    expect(shortReason(reason)).toBe('48 → 96 kHz, no sample-rate converter');
    expect(longReason(plan, reason, 'loft-console', 'lab-recorder')).toBe(
      'Loft console runs at 48 kHz and Lab recorder at 96 kHz, and no sample-rate converter is between them.',
    );
    expect(longReason(plan, { code: 'ttl-too-short', routers: 1, ttl: 1 }, 'loft-console', 'dome-renderer')).toBe(
      '1 router is on the path, and each takes one off the TTL of 1.',
    );
    expect(
      cautionWords(
        plan,
        { code: 'one-leg', missing: 'B', because: { code: 'not-joined', leg: 'B' } },
        'loft-console',
        'dome-renderer',
      ),
    ).toMatch(/^Leg B has no path, so the lane has no second one\. Loft console and Dome renderer are both plugged in/);
  });

  test('every finding has a title', () => {
    expect(view.findings.map((f) => findingTitle(plan, f))).toContain(
      'Gallery edge A needs 98 W of PoE; its budget is 90 W',
    );
  });

  test('units as people of the trade read them', () => {
    expect(channelRuns([1, 2, 3, 7, 9, 10])).toBe('1–3, 7, 9, 10');
    expect([packetTime(1000), packetTime(125), packetTime(333)]).toEqual(['1 ms', '125 µs', '333⅓ µs']);
    expect([time(2_062_600), time(26_300)]).toEqual(['2.063 ms', '26.3 µs']);
    const hours = 3_600_000;
    expect([-5_000, 89_000, 90_000, 1.4 * hours, 35 * hours, 36 * hours, 800 * hours].map((t) => age(0, t))).toEqual([
      '0 s ago',
      '89 s ago',
      '2 min ago',
      '84 min ago',
      '35 h ago',
      '2 days ago',
      '33 days ago',
    ]);
    expect([count(1, 'lane'), count(2, 'lane'), count(2, 'address', 'addresses')]).toEqual([
      '1 lane',
      '2 lanes',
      '2 addresses',
    ]);
  });
});
