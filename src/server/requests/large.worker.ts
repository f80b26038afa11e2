import 'reflect-metadata';
import { parentPort } from 'node:worker_threads';
import { readLarge, type LargeJob } from './read-large';

/** Reads large bodies beside the thread that serves everyone: one message in, one answer out. */
parentPort?.on('message', ({ job, octets }: { job: LargeJob; octets: Uint8Array }) => {
  void readLarge(job, octets).then((answer) => parentPort?.postMessage(answer));
});
