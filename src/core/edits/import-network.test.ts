import fc from 'fast-check';
import { planOfFile } from '../formats/plan-file';
import { NETWORK_COLUMNS, readNetworkCsv, writeNetworkCsv } from '../formats/network-csv';
import { skerryPoint } from '../../demo/skerry-point';
import { commandsOfImport, importNetwork } from './import-network';
import { apply } from '../plan/test-plan';

const skerry = planOfFile(skerryPoint());
const read = (text: string) => {
  const table = readNetworkCsv(text);
  return { ...table, items: importNetwork(skerry, table.rows) };
};

describe('the network as a table', () => {
  test('goes out and comes in the same: nothing is new, nothing differs but what the plan has wrong itself', () => {
    const { items, problems } = read(writeNetworkCsv(skerry));
    expect(problems).toEqual([]);
    const odd = items.filter((i) => i.verdict !== 'same');
    // The two planted faults: an address that two exhibits hold, one that is outside its subnet.
    expect(odd.map((i) => [i.device, i.verdict])).toEqual([
      ['Exhibit 11', 'refused'],
      ['Exhibit 12', 'refused'],
      ['Wave wireless 2', 'refused'],
    ]);
    expect(commandsOfImport(items)).toEqual([]);
  });

  test('says what is new and what differs, and leaves alone what it does not mention', () => {
    const { items, problems } = read(
      [
        'device,model,place,port,address,switch,socket,cable,metres',
        'Dome amp 9,Amplifier 8,Dome,Media A,10.71.52.40,South edge A,Port 20,cat6,31',
        'Dome amp 9,,,Media B,10.72.52.40,South edge B,Port 20,cat6,31',
        'Loft console,,,A,10.71.36.99,,,,',
        'Show player,,Dome,,,,,,',
        'Dome amp 1,,,A,10.71.52.31,South edge A,Port 4,,',
      ].join('\n'),
    );
    expect(problems).toEqual([]);
    expect(items.map((i) => i.verdict)).toEqual(['new', 'differs', 'differs', 'differs', 'same']);
    expect(items[2]!.changes).toEqual([{ what: 'address', before: '10.71.36.11', after: '10.71.36.99' }]);
    expect(items[3]!.changes).toEqual([{ what: 'place', before: 'Control Loft', after: 'Dome' }]);
    const after = apply(skerry, ...commandsOfImport(items));
    const id = [...after.devices.values()].find((d) => d.name === 'Dome amp 9')!.id;
    expect(after.interfaces.get(id)!.get('B')).toMatchObject({ subnetId: 'b-south', address: '10.72.52.40' });
    expect([...after.links.values()].filter((l) => l.from.deviceId === id).map((l) => l.to.port)).toEqual([
      'Port 20',
      'Port 20',
    ]);
  });

  test.each([
    ['Nobody,,,,,,', 'no device is called “Nobody”, and no model is given to make one'],
    ['New box,Time machine,,,,,', 'no model is called “Time machine”'],
    ['Loft console,,,Media Z,,,', 'Console 72 has no port “Media Z”; it has Media A, Media B, Control'],
    ['Loft console,,,A,10.71.36.300,,', '“10.71.36.300” is not an IPv4 address'],
    ['Loft console,,,A,192.168.1.4,,', 'no subnet of the plan holds 192.168.1.4'],
    ['Loft console,,,A,10.71.36.12,,', '10.71.36.12 is the address of Show player'],
    ['Loft console,,,A,,Dome renderer,Port 1', 'Dome renderer is not a switch'],
    ['Loft console,,,A,,Loft edge A,Port 99', 'Loft edge A has no port “Port 99”'],
    ['Loft console,,,A,,Loft edge A,Port 2', 'Loft edge A Port 2 is taken by Show player Media A'],
  ])('%s is refused with its reason, and changes nothing', (line, problem) => {
    const { items } = read(`device,model,place,port,address,switch,socket\n${line}`);
    expect(items).toEqual([expect.objectContaining({ verdict: 'refused', problem, line: 2, commands: [] })]);
  });

  test('a line that is listed twice is refused the second time, with the line of the first; good lines are still offered', () => {
    const { items } = read(
      'device,port,address\nLoft console,A,10.71.36.90\nLoft console,A,10.71.36.91\nShow player,A,10.71.36.92',
    );
    expect(items.map((i) => i.verdict)).toEqual(['differs', 'refused', 'differs']);
    expect(items[1]).toMatchObject({ line: 3, problem: 'Loft console, Media A is listed twice, first in line 2' });
  });

  test.each([
    ['', 'the file is empty'],
    ['thing,address\nbox,y', 'the column “device” is missing; the columns are ' + NETWORK_COLUMNS.join(', ')],
    ['\u0000\u0001', 'this is not a text file'],
    ['device,device\na,b', 'the column device is listed twice'],
    ['device,colour\na,b', 'no column is called “colour”; it is left out'],
    ['device\na,b', '2 fields where the header has 1'],
    ['device,port\n,A', 'no device is named'],
    ['device,port\n"Loft', 'Quoted field unterminated'],
  ])('a table such as %j is told what is wrong with it', (text, problem) => {
    expect(readNetworkCsv(text).problems.map((p) => p.problem)).toContain(problem);
  });

  test('rows taken together say the same as rows taken one by one, each against the plan that the one before left', () => {
    const some = <T>(...values: T[]) => fc.constantFrom(null, ...values);
    const row = fc.record({
      line: fc.constant(null),
      device: fc.constantFrom('Loft console', 'Show player', 'Dome amp 1', 'New box', 'Newer box', 'Loft edge A'),
      model: some('Amplifier 8', 'Console 72'),
      place: some('Dome', 'Attic'),
      port: some('A', 'B', 'Port 30'),
      address: some('10.71.36.90', '10.71.36.91', '10.71.36.12', '10.72.36.90', '10.71.52.31'),
      subnet: fc.constant(null),
      switch: some('Loft edge A', 'South edge A', 'South edge B', 'New box'),
      socket: some('Port 20', 'Port 21', 'Port 4'),
      speed: some('100'),
      cable: some('cat6'),
      metres: some('31'),
    });
    fc.assert(
      fc.property(fc.array(row, { maxLength: 12 }), (rows) => {
        let plan = skerry;
        for (const [index, together] of importNetwork(skerry, rows).entries()) {
          if (together.problem?.includes('is listed twice')) continue;
          const [alone] = importNetwork(plan, [rows[index]!]);
          expect(together).toEqual(alone);
          plan = apply(plan, ...together.commands);
        }
      }),
    );
  });

  test('whatever is thrown at it, reading ends and no row is both taken and refused', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 400 }), (text) => {
        for (const item of read(`device,model,port,address,switch,socket\n${text}`).items) {
          expect(item.verdict === 'refused').toBe(item.problem !== null);
          if (item.verdict === 'refused') expect(item.commands).toEqual([]);
        }
      }),
    );
  });
});
