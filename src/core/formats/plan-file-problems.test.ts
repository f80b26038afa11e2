import { skerryPoint } from '../../demo/skerry-point';
import { readPlanFile } from './read-plan-file';

describe('everything that is wrong with a file is told at once', () => {
  const read = (change: (file: Record<string, unknown[]>) => void) => {
    const file = structuredClone(skerryPoint()) as unknown as Record<string, unknown[]>;
    change(file);
    const result = readPlanFile(JSON.stringify(file));
    return result.ok ? [] : result.problems;
  };
  const at = (list: unknown[] | undefined, n: number) => list?.[n] as Record<string, unknown>;
  const nameOf = (deviceId: string | undefined) => skerryPoint().devices.find((d) => d.id === deviceId)?.name;

  test('record by record, with the names of the devices whose they are', () => {
    const problems = read((file) => {
      at(file['devices'], 3)['rateHz'] = 32_000;
      at(file['devices'], 3)['serial'] = 7;
      at(file['devices'], 5)['extra'] = true;
      at(file['interfaces'], 0)['address'] = '10.71.36.999';
      delete at(file['labels'], 2)['side'];
      file['toys'] = [];
    });
    expect(problems.map((p) => p.at).sort()).toEqual(
      ['/', '/devices/3/rateHz', '/devices/3/serial', '/devices/5', '/interfaces/0/address', '/labels/2'].sort(),
    );
    const who = new Map(problems.map((p) => [p.at, p.who]));
    expect(who.get('/devices/3/rateHz')).toBe(skerryPoint().devices[3]?.name);
    expect(who.get('/devices/5')).toBe(skerryPoint().devices[5]?.name);
    expect(who.get('/interfaces/0/address')).toBe(nameOf(skerryPoint().interfaces[0]?.deviceId));
    expect(who.get('/labels/2')).toBe(nameOf(skerryPoint().labels[2]?.deviceId));
  });

  test('what points at nothing is told with its owner too', () => {
    const [problem] = read((file) => {
      at(file['interfaces'], 0)['subnetId'] = 'nowhere';
    });
    expect(problem).toMatchObject({ at: '/interfaces/0/subnetId', problem: 'nowhere is not in the file' });
    expect(problem?.who).toBe(nameOf(skerryPoint().interfaces[0]?.deviceId));
  });

  test('a file that is wrong everywhere is told as far as anyone reads', () => {
    const problems = read((file) => {
      for (const s of file['subscriptions'] as Record<string, unknown>[]) s['senderChannel'] = 0;
      for (const d of file['devices'] as Record<string, unknown>[]) d['name'] = null;
      for (const l of file['labels'] as Record<string, unknown>[]) l['channel'] = -1;
    });
    expect(problems.length).toBeGreaterThan(300);
    expect(problems.length).toBeLessThanOrEqual(500);
  });

  test.each(['999.999.999.999', '256.0.0.1', '10.0.0', '10.0.0.1.2', '10.0.0.-1'])('%s is no address', (address) => {
    const problems = read((file) => {
      at(file['interfaces'], 0)['address'] = address;
    });
    expect(problems.map((p) => p.problem)).toEqual(['is not an IPv4 address']);
  });

  test.each([['[]'], ['null'], ['7'], ['{"format":"jade-lane-plan","version":3,"devices":7}']])(
    'what is no plan at all is refused by its place: %s',
    (text) => {
      const result = readPlanFile(text);
      expect(result.ok).toBe(false);
      if (!result.ok) expect(result.problems.every((p) => p.at.startsWith('/'))).toBe(true);
    },
  );
});
