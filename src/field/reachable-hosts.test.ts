import { hostOf, ReachableHosts } from './reachable-hosts';

const hosts = (change: Partial<ConstructorParameters<typeof ReachableHosts>[0]> = {}) =>
  new ReachableHosts({
    networks: ['10.20.0.0/16'],
    names: ['gateway.venue'],
    registryUrl: null,
    ownPort: 3000,
    ...change,
  });

describe('which hosts are talked to', () => {
  test.each([
    ['http://10.20.1.7:8080/x', true],
    ['http://10.21.1.7:8080/x', false],
    ['http://gateway.venue/x', true],
    ['http://GATEWAY.venue/x', true],
    ['http://elsewhere.venue/x', false],
    ['http://169.254.169.254/latest', false],
    // The same address in another way of writing it.
    ['http://2886729729/', false],
    ['http://0x0a140107:8080/', true],
    ['http://[::1]:8080/', false],
    ['ws+unix:///tmp/socket', false],
    ['file:///etc/passwd', false],
    ['', false],
  ])('%s: %s', (url, isAllowed) => expect(hosts().allows(url)).toBe(isAllowed));

  test('addresses of a plan are, for as long as it has them', () => {
    const known = hosts();
    expect(known.setNamed('p', new Set(['192.0.2.7']))).toBe(true);
    expect(known.allows('http://192.0.2.7/')).toBe(true);
    expect(known.setNamed('p', new Set(['192.0.2.7']))).toBe(false);
    expect(known.setNamed('p', new Set())).toBe(true);
    expect(known.allows('http://192.0.2.7/')).toBe(false);
  });

  test('the loopback network is only where the registry is on it, and this application never', () => {
    const url = 'http://127.0.0.1:8080/';
    expect(hosts({ networks: null, registryUrl: 'http://127.0.0.1:8870' }).allows(url)).toBe(true);
    expect(hosts({ networks: null, registryUrl: 'http://127.0.0.1:8870' }).allows('http://127.0.0.1:3000/')).toBe(
      false,
    );
    expect(hosts({ networks: null, registryUrl: 'http://10.20.0.2:8870' }).allows(url)).toBe(false);
    expect(hosts({ networks: null, registryUrl: 'http://10.20.0.2:8870' }).allows('http://10.20.0.2:8870/')).toBe(true);
  });

  test('a host is told from what only looks like one', () => {
    expect(hostOf('http://user:pw@10.20.1.7/')).toBe('10.20.1.7');
    expect(hostOf('https://[fe80::1]:80/')).toBe('fe80::1');
    expect(hostOf('javascript:alert(1)')).toBeNull();
  });
});
