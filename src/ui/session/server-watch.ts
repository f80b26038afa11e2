/** The server says that it is there every 15 s. */
export const SILENT_FOR_MS = 40_000;

/**
 * Watches whether the server is heard. When it is not for longer than it ever is silent, it is not there, and what is shown may be old:
 * this is said once, and the server is listened to again, again and again until it is heard.
 */
export class ServerWatch {
  private timer: ReturnType<typeof setTimeout> | undefined;
  private isOver = false;

  constructor(
    private readonly onSilence: () => void,
    private readonly listen: () => void,
  ) {}

  heard(): void {
    this.after(SILENT_FOR_MS, () => {
      this.onSilence();
      this.listenAgain();
    });
  }

  /** To be listened to again so much later, unless it is heard before. */
  listenLater(ms: number): void {
    this.after(ms, () => this.listenAgain());
  }

  stop(): void {
    this.isOver = true;
    clearTimeout(this.timer);
  }

  private listenAgain(): void {
    this.listen();
    this.listenLater(SILENT_FOR_MS);
  }

  private after(ms: number, run: () => void): void {
    clearTimeout(this.timer);
    if (!this.isOver) this.timer = setTimeout(run, ms);
  }
}
