import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { DEMO_SETTINGS, readSettings, SETTINGS, type SettingProblem, type Settings } from './settings';

const problems = (environment: Record<string, string>): readonly SettingProblem[] => {
  const read = readSettings(environment, '/srv');
  return 'length' in read ? read : [];
};
const settings = (environment: Record<string, string> = {}): Settings => {
  const read = readSettings(environment, '/srv');
  if ('length' in read) throw new Error(JSON.stringify(read));
  return read;
};

describe('settings have one place', () => {
  test('without any, the server is for this computer alone', () => {
    expect(settings()).toMatchObject({ port: 3000, host: '127.0.0.1', passPhrase: null, tls: null, registryUrl: null });
    expect(settings().dataFolder).toBe(join('/srv', 'data'));
  });

  test.each([
    [{ JADE_REGISTRI: 'http://10.0.0.1:80' }, 'JADE_REGISTRI', 'there is no such setting'],
    [{ PORT: '70000' }, 'PORT', '“70000” is not a port: 1 to 65535'],
    [{ JADE_REGISTRY: 'ftp://x' }, 'JADE_REGISTRY', '“ftp://x” is not of the form http://10.20.0.2:8870'],
    [
      { JADE_NETWORKS: '10.20.0.0/16,10.300.0.0/16' },
      'JADE_NETWORKS',
      '“10.300.0.0/16” is not a network such as 10.20.0.0/16',
    ],
    [{ JADE_SAP: '10.20.0.5,there' }, 'JADE_SAP', 'not addresses of adapters such as 10.20.0.5, with commas between'],
    [{ JADE_SAP: '999.0.0.1' }, 'JADE_SAP', 'not addresses of adapters such as 10.20.0.5, with commas between'],
    [
      { JADE_RTSP: 'http://10.20.0.40/' },
      'JADE_RTSP',
      'not addresses such as rtsp://10.20.0.40/by-name/main, with commas between',
    ],
    [{ JADE_TRANSLATE: 'ten' }, 'JADE_TRANSLATE', 'not of the form 10.=127.'],
    [
      { JADE_DNS_SD: 'the venue' },
      'JADE_DNS_SD',
      'not of the form venue.example, venue.example@10.20.0.2, local or local@10.20.0.5',
    ],
    [{ JADE_NODES: '10.20.0.31' }, 'JADE_NODES', '“10.20.0.31” is not of the form http://10.20.0.31:80'],
    [{ JADE_OWN_REGISTRY: '10.20.0.5' }, 'JADE_OWN_REGISTRY', 'not of the form 10.20.0.5:8870'],
    [
      { JADE_OWN_REGISTRY: '10.20.0.5:8870', JADE_REGISTRY: 'http://10.20.0.2:8870' },
      'JADE_OWN_REGISTRY',
      'JADE_REGISTRY names another registry to follow: set one of the two',
    ],
    [{ JADE_FIELD_CA: '/no/such.pem' }, 'JADE_FIELD_CA', 'there is no file /no/such.pem'],
    [
      { JADE_TOKEN_URL: 'http://auth/token', JADE_TOKEN_CLIENT: 'a', JADE_TOKEN_SECRET: 'b' },
      'JADE_TOKEN_URL',
      'not of the form https://auth.venue.example/token',
    ],
    [
      { JADE_TOKEN_CLIENT: 'a' },
      'JADE_TOKEN_URL',
      'JADE_TOKEN_URL, JADE_TOKEN_CLIENT and JADE_TOKEN_SECRET go together: set all three',
    ],
    [{ JADE_LOG: 'loud' }, 'JADE_LOG', '“loud” is none of trace, debug, info, warn, error, silent'],
    [{ JADE_PASS_PHRASE: 'short' }, 'JADE_PASS_PHRASE', 'shorter than 12 characters'],
    [{ JADE_TLS_CERT: '/c.pem' }, 'JADE_TLS_KEY', 'the certificate has no key: set both'],
  ])('%j is refused', (environment, name, problem) => {
    expect(problems(environment as Record<string, string>)).toEqual([{ name, problem }]);
  });

  test('listening beyond this computer needs a pass phrase and a certificate', () => {
    expect(problems({ JADE_HOST: '0.0.0.0' }).map((p) => p.name)).toEqual(['JADE_PASS_PHRASE', 'JADE_TLS_CERT']);
    const phrase = { JADE_HOST: '0.0.0.0', JADE_PASS_PHRASE: 'a long enough phrase' };
    expect(problems(phrase).map((p) => p.name)).toEqual(['JADE_TLS_CERT']);
    expect(settings({ ...phrase, JADE_TLS_CERT: '/c.pem', JADE_TLS_KEY: '/k.pem' }).tls).not.toBeNull();
    expect(settings({ ...phrase, JADE_PLAIN_HTTP: 'yes' }).host).toBe('0.0.0.0');
  });

  test('every setting is in the document', () => {
    const text = readFileSync(join(__dirname, '../../docs/settings.md'), 'utf8').replace(/ +/g, ' ');
    for (const { name, what } of [...SETTINGS, ...DEMO_SETTINGS]) expect(text).toContain(`| \`${name}\` | ${what} |`);
  });
});
