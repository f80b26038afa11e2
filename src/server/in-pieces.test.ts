import fc from 'fast-check';
import { inPieces } from './in-pieces';

test('what goes out in pieces is what was given, whole and in order', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.uint8Array({ maxLength: 50 }), { maxLength: 6 }),
      fc.nat(700_000),
      async (small, size) => {
        const parts = [...small, new Uint8Array(size).fill(7), ...small];
        const out = Buffer.from(await new Response(inPieces(parts)).arrayBuffer());
        expect(out.equals(Buffer.concat(parts))).toBe(true);
      },
    ),
    { numRuns: 40 },
  );
});

test('the next piece is made when the last one was taken', async () => {
  const reader = inPieces([new Uint8Array(1024 * 1024)]).getReader();
  const sizes: number[] = [];
  for (let piece = await reader.read(); !piece.done; piece = await reader.read()) sizes.push(piece.value.byteLength);
  expect(sizes).toEqual([262_144, 262_144, 262_144, 262_144]);
});
