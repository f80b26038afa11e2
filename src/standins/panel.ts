import { close, httpServer, json, listen, problem, route, type Response } from '../registry/http';
import type { Announcer } from './announcer';
import type { StandinPatched } from './fleet';
import { MANNERS, type StandinNode } from './node';
import type { PtpFabric } from './ptp';
import type { StandinSwitch } from './switch';
import type { Violations } from './violations';

interface Standins {
  readonly nodes: ReadonlyMap<string, StandinNode>;
  readonly switches: ReadonlyMap<string, StandinSwitch>;
  readonly announcers: ReadonlyMap<string, Announcer>;
}

/** The front panels of the stand-ins: what a hand would do to a device, as a small API and one plain page. */
export function panelServer(
  { nodes, switches, announcers }: Standins,
  ptp: PtpFabric,
  address: string,
  port: number,
  remember: () => void,
  violations: Violations,
) {
  const shown = (node: StandinNode) => ({
    id: node.spec.id,
    label: node.label,
    nodeId: node.nodeId,
    serial: node.spec.serial,
    addresses: node.spec.interfaces.map((i) => i.address),
    isPlugged: node.isPlugged,
    delayMs: node.delayMs,
    manner: node.manner,
    fault: node.fault,
    rateHz: node.rateHz,
    streamsSend: node.spec.streamsSend,
    streamsReceive: node.spec.streamsReceive,
    clock: ptp.report(node.spec.id),
  });
  const act = async (id: string | undefined, what: (node: StandinNode) => Promise<void> | void): Promise<Response> => {
    const node = nodes.get(id as string);
    if (node === undefined) return problem(404, 'no such stand-in');
    await what(node);
    remember();
    return json(shown(node));
  };
  const routes = [
    route('GET', '/', () => ({
      status: 200,
      type: 'text/html; charset=utf-8',
      text: page([...nodes.values()], [...announcers.values()]),
    })),
    // What was asked and answered that the standards do not allow.
    route('GET', '/violations', () => json(violations.noted)),
    route('GET', '/standins', () => json([...nodes.values()].map(shown))),
    route('GET', '/standins/([^/]+)', (r) => act(r.params[0], () => undefined)),
    route('POST', '/standins/([^/]+)/unplug', (r) => act(r.params[0], (n) => n.unplug())),
    route('POST', '/standins/([^/]+)/plug', (r) => act(r.params[0], (n) => n.plug())),
    route('POST', '/standins/([^/]+)/rename', (r) => {
      const label = (r.body as { label?: unknown } | undefined)?.label;
      if (typeof label !== 'string' || label === '') return problem(400, 'label is missing');
      return act(r.params[0], (n) => n.rename(label));
    }),
    // The antenna or word clock pulled out (`isLost: true`), or put back.
    route('POST', '/standins/([^/]+)/reference', (r) => {
      const isLost = (r.body as { isLost?: unknown } | undefined)?.isLost;
      if (typeof isLost !== 'boolean') return problem(400, 'isLost is not true or false');
      if (!ptp.loseReference(r.params[0] as string, isLost)) return problem(404, 'it listens to no reference');
      return act(r.params[0], () => undefined);
    }),
    route('POST', '/standins/([^/]+)/rate', (r) => {
      const rateHz = (r.body as { rateHz?: unknown } | undefined)?.rateHz;
      const node = nodes.get(r.params[0] as string);
      if (node !== undefined && (typeof rateHz !== 'number' || !node.changeRate(rateHz))) {
        return problem(400, `rateHz is none of ${node.spec.ratesHz.join(', ')}`);
      }
      return act(r.params[0], () => undefined);
    }),
    // The battery of a pack, in per cent.
    route('POST', '/standins/([^/]+)/battery', (r) => {
      const { channel, percent } = (r.body ?? {}) as { channel?: unknown; percent?: unknown };
      if (typeof channel !== 'number' || typeof percent !== 'number')
        return problem(400, 'channel or percent is missing');
      if (nodes.get(r.params[0] as string)?.tell(channel, 'battery', percent) === false)
        return problem(400, 'there is no such radio channel, or percent is not from 0 to 100');
      return act(r.params[0], () => undefined);
    }),
    // A channel of a terminal patched at the device itself; without `from` it is fed by nothing.
    route('POST', '/standins/([^/]+)/patch', (r) => {
      const { terminalId, channel, from } = (r.body ?? {}) as {
        terminalId?: unknown;
        channel?: unknown;
        from?: unknown;
      };
      const source = (from ?? null) as { terminalId?: unknown; channel?: unknown } | null;
      if (typeof terminalId !== 'string' || typeof channel !== 'number')
        return problem(400, 'terminalId or channel is missing');
      if (source !== null && (typeof source.terminalId !== 'string' || typeof source.channel !== 'number'))
        return problem(400, 'from is not a channel');
      const isDone = nodes.get(r.params[0] as string)?.repatch(terminalId, channel, source as StandinPatched | null);
      if (isDone === false) return problem(400, 'the device does not let it be patched so');
      return act(r.params[0], () => undefined);
    }),
    route('POST', '/switches/([^/]+)/(plug|unplug)', async (r) => {
      const found = switches.get(r.params[0] as string);
      if (found === undefined) return problem(404, 'no such switch');
      await (r.params[1] === 'plug' ? found.plug() : found.unplug());
      if (r.params[1] === 'plug') ptp.switchOn(found.spec.id);
      else ptp.switchOff(found.spec.id);
      return json({ id: found.spec.id });
    }),
    route('POST', '/announcers/([^/]+)/(plug|unplug)', (r) => {
      const found = announcers.get(r.params[0] as string);
      if (found === undefined) return problem(404, 'no such announcer');
      if (r.params[1] === 'plug') found.plug();
      else found.unplug();
      return json({ id: found.spec.id, isPlugged: found.isPlugged });
    }),
    // How a socket comes up; without a body as planned again.
    route('POST', '/switches/([^/]+)/come-up', (r) => {
      const found = switches.get(r.params[0] as string);
      const body = (r.body ?? {}) as { port?: unknown; bitsPerSecond?: unknown; duplex?: unknown };
      if (found === undefined) return problem(404, 'no such switch');
      if (typeof body.port !== 'string') return problem(400, 'port is missing');
      const as =
        typeof body.bitsPerSecond === 'number'
          ? {
              bitsPerSecond: body.bitsPerSecond,
              duplex: body.duplex === 'half' ? ('half' as const) : ('full' as const),
            }
          : null;
      return found.bringUp(body.port, as) ? json({ id: found.spec.id }) : problem(404, 'no such port');
    }),
    // A device that refuses everything it is told, or says yes and does nothing.
    route('POST', '/standins/([^/]+)/manner', (r) => {
      const wanted = (r.body as { manner?: unknown } | undefined)?.manner;
      const manner = MANNERS.find((m) => m === wanted);
      if (manner === undefined) return problem(400, `manner is none of ${MANNERS.join(', ')}`);
      return act(r.params[0], (n) => {
        n.manner = manner;
      });
    }),
    route('POST', '/standins/([^/]+)/delay', (r) => {
      const ms = (r.body as { ms?: unknown } | undefined)?.ms;
      if (typeof ms !== 'number' || ms < 0 || ms > 60_000) return problem(400, 'ms is not a number from 0 to 60000');
      return act(r.params[0], (n) => {
        n.delayMs = ms;
      });
    }),
  ];
  const server = httpServer({ routes: () => routes });
  return { start: () => listen(server, address, port), stop: () => close(server) };
}

const escape = (text: string) => text.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);

function page(nodes: readonly StandinNode[], announcers: readonly Announcer[]): string {
  const announced = announcers
    .map((a) => {
      const verb = a.isPlugged ? 'unplug' : 'plug';
      return `<tr><td>${escape(a.spec.name)}<td><code>${a.spec.address}</code><td>${a.isPlugged ? 'announces its streams, no registry' : 'switched off'}
<td><button data-of="announcers" data-id="${escape(a.spec.id)}" data-verb="${verb}">${verb === 'plug' ? 'Plug in' : 'Unplug'}</button><td><td><td>`;
    })
    .join('\n');
  const rows = nodes
    .map((n) => {
      const verb = n.isPlugged ? 'unplug' : 'plug';
      const how = [
        ...(n.delayMs > 0 ? [`answers after ${n.delayMs / 1000} s`] : []),
        ...(n.manner === 'sound' ? [] : [n.manner]),
      ];
      const state = n.isPlugged ? (n.fault ?? ['plugged in', ...how].join(', ')) : 'unplugged';
      const button = (words: string, verb: string, body: object, isOn: boolean) =>
        `<button data-id="${escape(n.spec.id)}" data-verb="${verb}" data-body='${JSON.stringify(body)}'${isOn ? ' disabled' : ''}>${words}</button>`;
      const manners = [
        button('Sound', 'manner', { manner: 'sound' }, n.manner === 'sound'),
        button('Refuse', 'manner', { manner: 'refusing' }, n.manner === 'refusing'),
        button('Lie', 'manner', { manner: 'lying' }, n.manner === 'lying'),
        button(n.delayMs > 0 ? 'Quick again' : 'Slow (4 s)', 'delay', { ms: n.delayMs > 0 ? 0 : 4000 }, false),
      ].join(' ');
      return `<tr><td>${escape(n.label)}<td><code>${n.spec.interfaces.map((i) => i.address).join(' ')}</code><td>${escape(state)}
<td><button data-id="${escape(n.spec.id)}" data-verb="${verb}">${verb === 'plug' ? 'Plug in' : 'Unplug (lost)'}</button>
<td>${manners}
<td>${n.spec.ratesHz.map((rate) => `<button data-id="${escape(n.spec.id)}" data-verb="rate" data-body='{"rateHz":${rate}}'${rate === n.rateHz ? ' disabled' : ''}>${rate / 1000} kHz</button>`).join(' ')}
<td>${n.hasReference ? [true, false].map((isLost) => `<button data-id="${escape(n.spec.id)}" data-verb="reference" data-body='{"isLost":${isLost}}'>${isLost ? 'Lose reference' : 'Reference back'}</button>`).join(' ') : ''}`;
    })
    .join('\n');
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>Stand-ins</title>
<style>body{font:14px/1.4 system-ui,sans-serif;margin:24px;background:#f6f3ec;color:#1d2a2a}td,th{padding:3px 14px 3px 0;text-align:left}button{font:inherit}</style>
<h1>Stand-ins: front panels</h1><p>Each row is a simulated device on this machine's loopback network. One that refuses answers every change with an error; one that lies
says yes and does nothing; a slow one answers after four seconds; one that is unplugged is lost without a word.</p>
<table><tr><th>Device<th>Addresses<th>State<th><th>What it is told<th>Rate<th>Reference</tr>${rows}
${announced}</table>
<script>document.addEventListener('click',async e=>{const b=e.target.closest('button');if(!b)return;b.disabled=true;
await fetch('/'+(b.dataset.of||'standins')+'/'+b.dataset.id+'/'+b.dataset.verb,{method:'POST',headers:{'content-type':'application/json'},body:b.dataset.body||'{}'});location.reload()})</script></html>`;
}
