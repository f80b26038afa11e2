import { essenceOfFormat, essenceOfMediaType } from './essence';

test('sound, pictures and ancillary data are told apart by media type', () => {
  const of = [
    'audio/L24',
    'audio/AM824',
    'video/raw',
    'video/jxsv',
    'video/smpte291',
    'VIDEO/SMPTE291',
    'application/json',
    '',
  ];
  expect(of.map(essenceOfMediaType)).toEqual([
    ...['audio', 'audio', 'picture', 'picture', 'ancillary', 'ancillary'],
    ...[null, null],
  ]);
});

test('IS-04 tells of it by format, and more exactly by media type; what tells nothing is taken for sound', () => {
  const urn = (kind: string) => `urn:x-nmos:format:${kind}`;
  expect([
    essenceOfFormat('', []),
    essenceOfFormat(urn('audio'), []),
    essenceOfFormat(urn('video'), ['video/raw']),
    essenceOfFormat(urn('video'), []),
    essenceOfFormat(urn('data'), ['video/smpte291']),
    essenceOfFormat(urn('data'), ['application/json']),
    essenceOfFormat(urn('mux'), ['video/SMPTE2022-6']),
  ]).toEqual(['audio', 'audio', 'picture', 'picture', 'ancillary', null, 'picture']);
});
