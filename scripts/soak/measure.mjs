// What the trials share: how a process does, and how long answers take.
import { readFileSync } from 'node:fs';
import { performance } from 'node:perf_hooks';
import { Worker } from 'node:worker_threads';

const TICKS_PER_SECOND = 100;
const PAGE_BYTES = 4096;

/** Memory in MB and processor time in seconds that a process has used, by what Linux says of it. */
export function usageOf(pid) {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ');
  const rss = Number(readFileSync(`/proc/${pid}/statm`, 'utf8').split(' ')[1]);
  return {
    megabytes: (rss * PAGE_BYTES) / 1e6,
    cpuSeconds: (Number(fields[11]) + Number(fields[12])) / TICKS_PER_SECOND,
  };
}

export const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

export function quantile(values, q) {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.floor(q * sorted.length))] ?? NaN;
}

export const ms = (value) => (Number.isFinite(value) ? `${Math.round(value)} ms` : '–');

/** Asks the server something small again and again, and notes how long each answer took: what everybody else feels meanwhile. */
export function feel(base, everyMs = 50) {
  const took = [];
  let isOver = false;
  const run = (async () => {
    while (!isOver) {
      const begun = performance.now();
      await fetch(`${base}/api/health`)
        .then((r) => r.text())
        .catch(() => took.push(Infinity));
      took.push(performance.now() - begun);
      await pause(everyMs);
    }
  })();
  return async () => {
    isOver = true;
    await run;
    return { p99: quantile(took, 0.99), most: Math.max(...took), asked: took.length };
  };
}

const WAITING_ONLY = `
  const { parentPort } = require('node:worker_threads');
  const late = [];
  let last = performance.now();
  const timer = setInterval(() => {
    const now = performance.now();
    late.push(Math.max(0, now - last - 10));
    last = now;
  }, 10);
  parentPort.once('message', () => {
    clearInterval(timer);
    parentPort.postMessage(late);
  });`;

/** How late a thread is woken that does nothing but wait: what the machine, busy as it is, keeps everybody waiting for. */
export function lateness() {
  const worker = new Worker(WAITING_ONLY, { eval: true });
  return async () => {
    const late = await new Promise((resolve) => {
      worker.once('message', resolve);
      worker.postMessage('end');
    });
    return { p99: quantile(late, 0.99), most: Math.max(...late) };
  };
}

export async function until(what, check, timeoutMs = 120_000, everyMs = 100) {
  const begun = performance.now();
  for (;;) {
    if (await Promise.resolve(check()).catch(() => false)) return performance.now() - begun;
    if (performance.now() - begun > timeoutMs) throw new Error(`not within ${timeoutMs / 1000} s: ${what}`);
    await pause(everyMs);
  }
}

/** A browser as far as the server can tell: it reads the plan and hears its events. */
export async function browser(base, planId, n, { isReading = true, keepsStates = false } = {}) {
  const author = `soak-${n}`;
  // Fifty browsers are one process here: the text of the plan is read as each of them reads it, and not kept.
  const text = await (await fetch(`${base}/api/plans/${planId}?author=${author}`)).text();
  const plan = { revision: Number(/"revision":(\d+)/.exec(text)?.[1]) };
  const end = new AbortController();
  const events = () =>
    fetch(`${base}/api/plans/${planId}/events?author=${author}&name=Soak%20${n}`, { signal: end.signal });
  // As a browser does: a connection that was kept, and that the server let go meanwhile, is opened again.
  const response = await events().catch(events);
  const heard = { events: 0, bytes: 0, states: new Map(), isOver: false };
  const reader = response.body.getReader();
  const first = isReading ? reader.read().then(count) : Promise.resolve();
  const decoder = new TextDecoder();
  let open = '';
  function count({ value, done }) {
    if (done) return void (heard.isOver = true);
    heard.bytes += value.byteLength;
    const part = decoder.decode(value, { stream: true });
    open += part;
    if (!part.includes('\n')) return;
    const parts = open.split('\n\n');
    open = parts.pop();
    for (const event of parts) {
      heard.events += 1;
      if (keepsStates && event.startsWith('event: field')) {
        takeStates(JSON.parse(event.slice(event.indexOf('data: ') + 6)), heard.states);
      }
    }
  }
  if (isReading) {
    void first
      .then(async () => {
        while (!heard.isOver) count(await reader.read());
      })
      .catch(() => (heard.isOver = true));
  }
  await first;
  return { plan, heard, reader, leave: () => end.abort() };
}

/** The state of each lane, as the page would have it. */
function takeStates({ isFull, topics }, states) {
  if (isFull) states.clear();
  for (const [deviceId, told] of Object.entries(topics.lanes ?? {})) {
    for (const key of [...states.keys()]) if (key.startsWith(`${deviceId}/`)) states.delete(key);
    const value = told?.[1];
    for (const [channel, at] of Object.entries(value?.evidenceAt ?? {})) {
      states.set(`${deviceId}/${channel}`, value.evidence[at].state);
    }
  }
}
