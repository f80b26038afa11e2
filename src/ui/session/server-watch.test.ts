import { ServerWatch, SILENT_FOR_MS } from './server-watch';

describe('whether the server is there', () => {
  const told: string[] = [];
  let watch: ServerWatch;
  beforeEach(() => {
    jest.useFakeTimers();
    told.length = 0;
    watch = new ServerWatch(
      () => told.push('silent'),
      () => told.push('listen'),
    );
  });
  afterEach(() => {
    watch.stop();
    jest.useRealTimers();
  });

  test('as long as it says every 15 s that it is there, nothing is said', () => {
    for (let n = 0; n < 20; n += 1) {
      watch.heard();
      jest.advanceTimersByTime(15_000);
    }
    expect(told).toEqual([]);
  });

  test('after 40 s of silence it is said that what is shown may be old, and it is listened to again and again', () => {
    watch.heard();
    jest.advanceTimersByTime(SILENT_FOR_MS - 1);
    expect(told).toEqual([]);
    jest.advanceTimersByTime(1);
    expect(told).toEqual(['silent', 'listen']);
    jest.advanceTimersByTime(2 * SILENT_FOR_MS);
    expect(told).toEqual(['silent', 'listen', 'listen', 'listen']);
    watch.heard();
    jest.advanceTimersByTime(SILENT_FOR_MS - 1);
    expect(told).toHaveLength(4);
  });

  test('a server that refused is asked again soon, and nothing more once the plan is closed', () => {
    watch.listenLater(3000);
    jest.advanceTimersByTime(3000);
    expect(told).toEqual(['listen']);
    watch.stop();
    watch.heard();
    jest.advanceTimersByTime(10 * SILENT_FOR_MS);
    expect(told).toEqual(['listen']);
  });
});
