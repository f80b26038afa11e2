import { TestEnvironment } from 'jest-environment-jsdom';

/** What browsers have and jsdom has not: taken from Node.js, which keeps to the same standards. */
const FROM_NODE = [
  ...['fetch', 'Headers', 'Request', 'Response', 'AbortController', 'AbortSignal', 'ReadableStream', 'TransformStream'],
  ...['TextEncoder', 'TextDecoder', 'structuredClone', 'MessageChannel', 'MessagePort'],
  // Those of a server, which can be kept from holding up its end.
  ...['setTimeout', 'clearTimeout', 'setInterval', 'clearInterval', 'setImmediate', 'clearImmediate'],
];

/** A page for tests of components: a document, and the parts of a server that the page asks. */
export default class PageEnvironment extends TestEnvironment {
  async setup() {
    await super.setup();
    for (const name of FROM_NODE) this.global[name] = globalThis[name];
    this.global.process.env['JADE_LOG'] = 'silent';
  }

  exportConditions() {
    return ['node', 'node-addons'];
  }
}
