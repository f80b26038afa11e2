import { createServer, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { EndReading } from './device-reader';
import { FieldFollower } from './follower';
import type { SourceEvents } from './sources';
import { until } from './test-bench';

const RECEIVER = 'receiver-1';

const state = (isEnabled: boolean) => ({
  sender_id: null,
  master_enable: isEnabled,
  transport_params: [
    { interface_ip: '127.0.0.1', multicast_ip: '239.1.1.1', destination_port: 5004, rtp_enabled: true },
  ],
});

test('a reading that was begun before a device was sent something does not take back what it said then', async () => {
  let isEnabled = false;
  /** Answers that are made, and held back. */
  const held: (() => void)[] = [];
  let isHolding = true;
  const answer = (response: ServerResponse) => {
    const text = JSON.stringify(state(isEnabled));
    const say = () => response.setHeader('content-type', 'application/json').end(text);
    if (isHolding) held.push(say);
    else say();
  };
  const device = createServer((_, response) => answer(response));
  await new Promise<void>((resolve) => device.listen(0, '127.0.0.1', resolve));
  const base = `http://127.0.0.1:${(device.address() as AddressInfo).port}`;
  const tell = (events: SourceEvents) => {
    const version = '1:0';
    events.connected();
    events.changed('nodes', 'node-1', { id: 'node-1', version, label: 'n', href: `${base}/`, interfaces: [] }, base);
    const controls = [{ type: 'urn:x-nmos:control:sr-ctrl/v1.1', href: `${base}/x-nmos/connection/v1.1/` }];
    events.changed('devices', 'device-1', { id: 'device-1', version, label: 'd', node_id: 'node-1', controls }, base);
    events.changed('receivers', RECEIVER, { id: RECEIVER, version, label: 'r', device_id: 'device-1' }, base);
  };
  const follower = new FieldFollower(
    base,
    () => {},
    undefined,
    600_000,
    (events) => ({
      start: () => tell(events),
      stop: () => {},
      readAll: () => Promise.resolve(),
      resources: () => Promise.resolve({}),
    }),
  );
  const reading = () => follower.snapshot().readings.get(RECEIVER)?.active.isEnabled;
  try {
    follower.start();
    await until(() => held.length === 2);
    // It is set to receive, and says that it does, before the answers to the earlier questions arrive.
    isEnabled = true;
    const said: EndReading = {
      staged: { isEnabled, peerId: null, legs: [] },
      active: { isEnabled, peerId: null, legs: [] },
      readAt: Date.now(),
    };
    follower.noteReading('receivers', RECEIVER, said);
    const seen: (boolean | undefined)[] = [];
    isHolding = false;
    for (const say of held) say();
    // It is asked once more, and only that is taken in.
    await until(() => {
      seen.push(reading());
      return (follower.snapshot().readings.get(RECEIVER)?.active.legs.length ?? 0) > 0;
    });
    expect(seen).not.toContain(false);
    expect(reading()).toBe(true);
  } finally {
    follower.stop();
    device.closeAllConnections();
    device.close();
  }
});

test('what is switched off at a device is seen within a few turns, however many ends it has and however silent the registry is', async () => {
  const ids = Array.from({ length: 65 }, (_, n) => `receiver-${n + 1}`);
  let isEnabled = true;
  let isStuck = false;
  const device = createServer((request, response) => {
    // One of them fails, while the others answer.
    if (isStuck && request.url?.includes('receiver-7/') === true) response.statusCode = 500;
    response.setHeader('content-type', 'application/json').end(JSON.stringify(state(isEnabled)));
  });
  await new Promise<void>((resolve) => device.listen(0, '127.0.0.1', resolve));
  const base = `http://127.0.0.1:${(device.address() as AddressInfo).port}`;
  const tell = (events: SourceEvents) => {
    const version = '1:0';
    events.connected();
    events.changed('nodes', 'node-1', { id: 'node-1', version, label: 'n', href: `${base}/`, interfaces: [] }, base);
    const controls = [{ type: 'urn:x-nmos:control:sr-ctrl/v1.1', href: `${base}/x-nmos/connection/v1.1/` }];
    events.changed('devices', 'device-1', { id: 'device-1', version, label: 'd', node_id: 'node-1', controls }, base);
    for (const id of ids) events.changed('receivers', id, { id, version, label: id, device_id: 'device-1' }, base);
  };
  const source = {
    start: () => {},
    stop: () => {},
    readAll: () => Promise.resolve(),
    resources: () => Promise.resolve({}),
  };
  const TURN_MS = 1000;
  const follower = new FieldFollower(
    base,
    () => {},
    undefined,
    TURN_MS,
    (events) => ({ ...source, start: () => tell(events) }),
  );
  const carrying = () => ids.filter((id) => follower.snapshot().readings.get(id)?.active.isEnabled === true).length;
  try {
    follower.start();
    await until(() => carrying() === ids.length);
    isEnabled = false;
    const began = performance.now();
    isStuck = true;
    await until(() => carrying() === 1);
    // One after the other they would take 65 turns.
    expect(performance.now() - began).toBeLessThan(30 * TURN_MS);
    await until(() => follower.snapshot().notKnownEnds.has('receiver-7'));
    isStuck = false;
    await until(() => carrying() === 0 && follower.snapshot().notKnownEnds.size === 0);
  } finally {
    follower.stop();
    device.closeAllConnections();
    device.close();
  }
}, 60_000);
