/**
 * Sends that tell different devices go on side by side; those that have a device in common go one after the other, as two at once could
 * give it contradicting orders. Nobody waits for devices that are none of theirs.
 */
export class SendQueue {
  private readonly busy = new Map<string, Promise<unknown>>();

  /**
   * Makes ready and runs, as soon as no device that it needs is in another send. While it waits things change, so it is made ready
   * again each time.
   * @param makeReady says what there is to do now, and which devices that takes
   * @param waiting is called with those that other sends are busy with
   */
  async run<W, T>(
    makeReady: () => { readonly work: W; readonly devices: readonly string[] },
    waiting: (devices: readonly string[]) => void,
    run: (work: W) => Promise<T>,
  ): Promise<T> {
    for (;;) {
      const { work, devices } = makeReady();
      const taken = devices.filter((d) => this.busy.has(d));
      if (taken.length === 0) return this.hold(devices, () => run(work));
      waiting(taken);
      await Promise.all(taken.map((d) => this.busy.get(d)));
    }
  }

  private hold<T>(devices: readonly string[], run: () => Promise<T>): Promise<T> {
    const running = run();
    const end = running
      .then(
        () => undefined,
        () => undefined,
      )
      .then(() => {
        for (const d of devices) if (this.busy.get(d) === end) this.busy.delete(d);
      });
    for (const d of devices) this.busy.set(d, end);
    return running;
  }
}
