import { brokenConstraint, readConstraints } from './constraints';

/** IS-05 v1.1, constraints-schema: for each leg, by parameter, a list or the least and the most. */
const LEGS = [
  {
    destination_port: { minimum: 5000, maximum: 5010 },
    rtp_enabled: {},
    source_ip: { enum: ['10.0.0.1', '10.0.0.2'] },
  },
  { destination_port: { minimum: 1024 }, rtp_enabled: { enum: [true] }, source_ip: { maximum: 3 } },
];

describe('what a sender or receiver takes', () => {
  test.each([
    ['all that it takes', [{ destination_port: 5004, rtp_enabled: true }, { destination_port: 6000 }], null],
    ['what is left to it', [{ source_ip: 'auto', destination_port: null }, {}], null],
    ['more legs than it has', [{}, {}, { nothing: 1 }], null],
    [
      'too high',
      [{ destination_port: 5012 }],
      { leg: 0, parameter: 'destination_port', value: 5012, takes: '5000 to 5010' },
    ],
    [
      'too low',
      [{}, { destination_port: 80 }],
      { leg: 1, parameter: 'destination_port', value: 80, takes: '1024 and more' },
    ],
    [
      'not of the list',
      [{ source_ip: '10.9.9.9' }],
      { leg: 0, parameter: 'source_ip', value: '10.9.9.9', takes: '10.0.0.1, 10.0.0.2' },
    ],
    [
      'a leg that cannot be off',
      [{}, { rtp_enabled: false }],
      { leg: 1, parameter: 'rtp_enabled', value: false, takes: 'true' },
    ],
    [
      'what the leg does not have',
      [{ multicast_ip: '239.1.1.1' }],
      { leg: 0, parameter: 'multicast_ip', value: '239.1.1.1', takes: null },
    ],
  ])('%s', (_, wanted, expected) => {
    expect(brokenConstraint(LEGS, wanted)).toEqual(expected);
  });

  test('what is no list of legs says nothing', () => {
    for (const value of [undefined, null, {}, 'no', [null], [[]]]) expect(readConstraints(value)).toBeNull();
    expect(readConstraints([])).toEqual([]);
  });
});
