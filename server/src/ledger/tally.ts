const TELL_EVERY_MS = 10 * 60_000;
/** So many different things are counted apart from one another; what is beyond that waits until the next time. */
const MOST_AT_ONCE = 64;

/**
 * Counts what others can do as often as they like. The first time is told at once, what follows as a number from time to
 * time: nobody fills the disk by trying again and again.
 */
export class Tally<T> {
  private readonly counts = new Map<string, { readonly what: T; count: number }>();
  private timer: NodeJS.Timeout | null = null;

  constructor(
    private readonly tell: (what: T, count: number) => Promise<void>,
    private readonly everyMs = TELL_EVERY_MS,
  ) {}

  add(what: T, times = 1): void {
    const key = JSON.stringify(what);
    const known = this.counts.get(key);
    if (known) known.count += times;
    else if (this.counts.size < MOST_AT_ONCE) {
      this.counts.set(key, { what, count: 0 });
      void this.tell(what, times);
    }
    this.timer ??= setTimeout(() => void this.flush(), this.everyMs).unref();
  }

  /** What was counted since is told now. */
  async flush(): Promise<void> {
    if (this.timer) clearTimeout(this.timer);
    this.timer = null;
    const counted = [...this.counts.values()];
    this.counts.clear();
    await Promise.all(counted.filter(({ count }) => count > 0).map(({ what, count }) => this.tell(what, count)));
  }
}
