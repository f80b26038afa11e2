import { readDevice, readEnd, readNode } from './is04';

test('however long what a registry says is, little of it is kept', () => {
  const long = 'x'.repeat(900_000);
  const controls = Array.from({ length: 5000 }, () => ({
    type: 'urn:x-nmos:control:sr-ctrl/v1.1',
    href: `http://10.0.0.1/${long}`,
  }));
  const kept = [
    readNode({ id: 'a', label: long, href: long, tags: { 'urn:x-nmos:tag:asset:instance-id/v1.0': [long] } }),
    readDevice({ id: 'b', label: long, controls }),
    readEnd({ id: 'c', label: long, format: long, interface_bindings: [long], caps: { media_types: [long] } }),
  ];
  expect(kept.map((k) => k.label.length)).toEqual([300, 300, 300]);
  expect(kept[0]!.label.endsWith('x…')).toBe(true);
  for (const one of kept) expect(JSON.stringify(one).length).toBeLessThan(3000);
});
