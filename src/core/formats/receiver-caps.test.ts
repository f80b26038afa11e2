import { channelsOfCaps, rangesOfCaps } from './receiver-caps';

/** The constraint sets of BCP-004-01. */
const caps = (...sets: object[]) => ({ media_types: ['audio/L24'], constraint_sets: sets });
const FORMAT = 'urn:x-nmos:cap:format:';
const PACKET_TIME = 'urn:x-nmos:cap:transport:packet_time';

test('each constraint set is a range: media types, rates, packet times and channels', () => {
  expect(
    rangesOfCaps(
      caps({
        [`${FORMAT}media_type`]: { enum: ['audio/L24', 'audio/L20'] },
        [`${FORMAT}sample_rate`]: { enum: [{ numerator: 48_000 }, { numerator: 96_000, denominator: 1 }] },
        [`${FORMAT}channel_count`]: { minimum: 1, maximum: 64 },
        [PACKET_TIME]: { enum: [1, 0.12, 0.33] },
      }),
    ),
  ).toEqual([{ encodings: ['L24'], ratesHz: [48_000, 96_000], packetTimesUs: [125, 333, 1000], channelsMax: 64 }]);
});

test('what a set does not limit is trusted only as far as AES67 makes it mandatory', () => {
  expect(rangesOfCaps(caps({ [`${FORMAT}channel_count`]: { enum: [2, 4] } }))).toEqual([
    { encodings: ['L24', 'L16'], ratesHz: [48_000], packetTimesUs: [1000], channelsMax: 4 },
  ]);
});

test('bounds are as good as lists', () => {
  const [range] = rangesOfCaps(
    caps({
      [`${FORMAT}sample_rate`]: { minimum: { numerator: 44_100 }, maximum: { numerator: 48_000 } },
      [PACKET_TIME]: { maximum: 0.25 },
    }),
  );
  expect(range).toMatchObject({ ratesHz: [44_100, 48_000], packetTimesUs: [125, 250] });
});

test('sets that are switched off, of other media or of no rate that we know say nothing', () => {
  expect(
    rangesOfCaps(
      caps(
        { 'urn:x-nmos:cap:meta:enabled': false, [`${FORMAT}media_type`]: { enum: ['audio/L24'] } },
        { [`${FORMAT}media_type`]: { enum: ['video/raw'] } },
        { [`${FORMAT}sample_rate`]: { enum: [{ numerator: 32_000 }] } },
      ),
    ),
  ).toEqual([]);
});

test.each([null, 7, 'caps', {}, { constraint_sets: {} }, { constraint_sets: [null, 3, []] }])(
  'devices send all sorts of things: %p is no caps and no fault',
  (raw) => {
    expect(channelsOfCaps(raw)).toBeNull();
    for (const range of rangesOfCaps(raw)) expect(range.channelsMax).toBeLessThanOrEqual(8);
  },
);

test('counts that make no sense are passed over', () => {
  expect(channelsOfCaps(caps({ [`${FORMAT}channel_count`]: { enum: [-1, 'x', 1e9, 6] } }))).toBe(6);
  expect(channelsOfCaps(caps({ [`${FORMAT}channel_count`]: { minimum: 1 } }))).toBeNull();
});
