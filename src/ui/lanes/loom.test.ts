import fc from 'fast-check';
import { fileOfPlan, planOfFile } from '@/core/formats/plan-file';
import { skerryPoint } from '@/demo/skerry-point';
import { NO_FIELD as field } from '@/ui/session/plan-store';
import { merged } from '@/ui/session/view';
import { reckonDesk } from '@/workers/reckon-desk';
import { laneRows } from './lane-rows';
import { edgeKeyOf, isAtEdge, loomOf, NOWHERE, type LoomOptions } from './loom';

const plan = planOfFile(skerryPoint());
const view = merged(null, reckonDesk().load(fileOfPlan(plan)));
const loom = (change: Partial<LoomOptions> = {}) =>
  loomOf(plan, view, field, { open: new Set(), placeId: null, height: 176, zoom: 1, ...change });
const places = [...plan.places.keys()];
const opens = fc.subarray(places).map((list) => new Set(list));
const total = (list: readonly { channels: number }[]) => list.reduce((sum, e) => sum + e.channels, 0);

describe('the loom', () => {
  test('shows every lane just once, whatever is open: what is sent is what arrives is what the ribbons carry', () => {
    fc.assert(
      fc.property(opens, (open) => {
        const { senders, receivers, ribbons } = loom({ open });
        expect([total(senders), total(receivers), total(ribbons)]).toEqual([328, 328, 328]);
        for (const r of ribbons) expect(total(r.strands)).toBe(r.channels);
      }),
      { numRuns: 40 },
    );
  });

  test('draws edges and ribbons that lie side by side and never over one another at an edge', () => {
    fc.assert(
      fc.property(opens, fc.constantFrom(1, 2, 8), (open, zoom) => {
        const { senders, receivers, ribbons, height } = loom({ open, zoom });
        for (const edges of [senders, receivers]) {
          edges.forEach((e, n) => {
            expect(e.y + e.height).toBeLessThanOrEqual((edges[n + 1]?.y ?? height) + 1e-6);
          });
        }
        for (const [edges, end, y] of [
          [senders, 'from', 'ySend'],
          [receivers, 'to', 'yReceive'],
        ] as const) {
          for (const edge of edges) {
            const own = ribbons.filter((r) => r[end] === edge.key).sort((a, b) => a[y] - b[y]);
            own.forEach((r, n) => {
              expect(r[y]).toBeGreaterThanOrEqual(edge.y - 1e-6);
              expect(r[y] + r.width).toBeLessThanOrEqual((own[n + 1]?.[y] ?? edge.y + edge.height) + 1e-6);
            });
          }
        }
      }),
      { numRuns: 40 },
    );
  });

  test('makes a ribbon of more channels wider', () => {
    const { ribbons } = loom({ zoom: 4 });
    const byChannels = [...ribbons].sort((a, b) => a.channels - b.channels);
    byChannels.forEach((r, n) => {
      const next = byChannels[n + 1];
      if (next && next.channels > r.channels && r.strands.length === 1 && next.strands.length === 1)
        expect(next.width).toBeGreaterThanOrEqual(r.width);
    });
  });

  test('fits the demo’s places into its height, and keeps what is refused apart from what is not', () => {
    const { height, ribbons } = loom();
    expect(height).toBeLessThanOrEqual(184);
    const toLab = ribbons.find((r) => r.from === 'control-loft' && r.to === 'sound-lab');
    expect(toLab?.strands.find((s) => s.weave === 'refused')?.channels).toBe(2);
  });

  test('narrows the sheet to just the lanes of a ribbon', () => {
    for (const r of loom().ribbons) {
      const rows = laneRows(plan, view, field, {
        ...{ text: '', placeId: null, from: r.from, to: r.to, state: 'any', folded: new Set<string>() },
        sort: { column: 'channel', isDescending: false },
      });
      expect(rows.filter((row) => row.kind === 'channel')).toHaveLength(r.channels);
    }
  });

  test('every device is at just one edge, and that edge says so', () => {
    fc.assert(
      fc.property(opens, fc.constantFrom(...plan.devices.keys()), (open, id) => {
        const key = edgeKeyOf(plan, id, open);
        expect(isAtEdge(plan, id, key)).toBe(true);
        if (open.has(plan.devices.get(id)?.placeId ?? '')) expect(key).toBe(`device:${id}`);
      }),
    );
    expect(isAtEdge(plan, 'loft-console', NOWHERE)).toBe(false);
  });

  test('an opened place stands as its devices where the place stood', () => {
    const before = loom().senders.map((e) => e.key);
    const after = loom({ open: new Set(['dome']) }).senders.map((e) => e.key);
    expect(after).toEqual(before.map((key) => (key === 'dome' ? 'device:dome-renderer' : key)));
  });
});
