import fc from 'fast-check';
import { RESOURCE_KINDS } from './is04-rules';
import { asVersion12 } from './is04-versions';
import type { Raw } from './raw';

/** Fields of v1.3 that v1.2 does not have, wherever they stand; and others, which it has. */
const NEW = ['authorization', 'attached_network_device', 'event_type', 'event_types'];
const OTHERS = ['id', 'label', 'href', 'services', 'controls', 'interfaces', 'api', 'endpoints', 'caps', 'name'];

const raw = fc.letrec<{ value: unknown; object: Raw }>((tie) => ({
  value: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    fc.string({ maxLength: 3 }),
    fc.constant(null),
    fc.boolean(),
    tie('object'),
    fc.array(tie('object'), { maxLength: 3 }),
  ),
  object: fc.dictionary(fc.constantFrom(...NEW, ...OTHERS), tie('value'), { maxKeys: 6 }),
})).object;

test('a resource of v1.2 stays as it is, and what v1.3 added is gone once and for all', () => {
  fc.assert(
    fc.property(fc.constantFrom(...RESOURCE_KINDS), raw, (kind, resource) => {
      const before = structuredClone(resource);
      const once = asVersion12(kind, resource);
      expect(resource).toEqual(before);
      expect(asVersion12(kind, once)).toEqual(once);
      // Whatever is left stood there before, and only fields that are new are missing.
      for (const name of Object.keys(resource)) if (!NEW.includes(name)) expect(name in once).toBe(true);
      for (const name of Object.keys(once)) expect(name in resource).toBe(true);
    }),
  );
});

const services = [{ href: 'http://127.0.0.1/', type: 'urn:x', authorization: true }];
test.each([
  ['node', { services }, { services: [{ href: 'http://127.0.0.1/', type: 'urn:x' }] }],
  ['device', { controls: services, services }, { controls: [{ href: 'http://127.0.0.1/', type: 'urn:x' }], services }],
  ['source', { format: 'f', event_type: 'number' }, { format: 'f' }],
  ['flow', { media_type: 'application/json', event_type: 'number' }, { media_type: 'application/json' }],
  ['receiver', { caps: { media_types: ['audio/L24'], event_types: [] } }, { caps: { media_types: ['audio/L24'] } }],
  ['sender', { event_type: 'kept, as no version has it there' }, { event_type: 'kept, as no version has it there' }],
] as const)('a %s is told as IS-04 v1.2 has it', (kind, given, told) => expect(asVersion12(kind, given)).toEqual(told));
