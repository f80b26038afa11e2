import { errorWords } from './error-words';

test('what a person reads of an error holds no code and nothing of the language', () => {
  const coded = (code: string) => Object.assign(new Error(`connect ${code} 127.0.0.1:1`), { code });
  expect(errorWords(coded('ECONNREFUSED'))).toBe('connection refused');
  expect(errorWords(coded('UND_ERR_SOCKET'))).toBe('connection closed before the answer was complete');
  expect(errorWords(coded('HPE_INVALID_CONSTANT'))).toBe('the answer is not HTTP');
  for (const code of ['EWHATEVER', 'UND_ERR_NEW', 'ERR_SSL_WRONG_VERSION_NUMBER', 'ENOTFOUND']) {
    expect(errorWords(coded(code))).not.toMatch(/[A-Z_]{4}/);
  }
  const parsed = () => JSON.parse('/ not JSON') as unknown;
  let thrown: unknown = null;
  try {
    parsed();
  } catch (error) {
    thrown = error;
  }
  expect(errorWords(thrown)).toBe('the answer cannot be read');
  expect(errorWords(new Error('the device has no leg that receives this stream'))).toMatch(/^the device/);
});
