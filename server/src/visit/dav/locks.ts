import { randomUUID } from "node:crypto";

/** Write locks (RFC 4918 §6, §7). Paths are normalised hrefs without a slash at the end; the folder itself is "". */
export interface Lock {
  readonly token: string;
  readonly path: string;
  readonly isDeep: boolean;
  readonly isShared: boolean;
  /** The content of the `owner` element, as it came. */
  readonly owner: string;
  seconds: number;
  /** Milliseconds since 1970. */
  until: number;
}

const LONGEST_SECONDS = 3600;
const MOST_LOCKS = 10_000;

export class Locks {
  private readonly all = new Map<string, Lock>();

  private live(): Lock[] {
    const now = Date.now();
    for (const lock of this.all.values()) if (lock.until < now) this.all.delete(lock.token);
    return [...this.all.values()];
  }

  /** Those that hold for a path: its own, and deep ones above it. */
  covering(path: string): Lock[] {
    return this.live().filter((lock) => lock.path === path || (lock.isDeep && isBelow(path, lock.path)));
  }

  below(path: string): Lock[] {
    return this.live().filter((lock) => isBelow(lock.path, path));
  }

  /** Null where another lock stands against it. */
  add(wanted: Pick<Lock, "path" | "isDeep" | "isShared" | "owner">, seconds: number): Lock | null {
    const others = [...this.covering(wanted.path), ...(wanted.isDeep ? this.below(wanted.path) : [])];
    if (others.some((lock) => !lock.isShared || !wanted.isShared) || this.all.size >= MOST_LOCKS) return null;
    const lock: Lock = { ...wanted, token: `urn:uuid:${randomUUID()}`, seconds: 0, until: 0 };
    this.refresh(lock, seconds);
    this.all.set(lock.token, lock);
    return lock;
  }

  refresh(lock: Lock, seconds: number): void {
    lock.seconds = Math.min(seconds, LONGEST_SECONDS);
    lock.until = Date.now() + lock.seconds * 1000;
  }

  get(token: string): Lock | null {
    return this.live().find((lock) => lock.token === token) ?? null;
  }

  remove(token: string): void {
    this.all.delete(token);
  }

  /** What was there is gone. */
  forget(path: string): void {
    for (const lock of this.live()) if (lock.path === path || isBelow(lock.path, path)) this.all.delete(lock.token);
  }
}

export function isBelow(path: string, above: string): boolean {
  return path.startsWith(`${above}/`);
}

/** One `(…)` of an If header: every condition in it must hold. */
export interface IfList {
  /** The resource it is about, as a URL; null: the one that is asked for. */
  readonly resource: string | null;
  readonly conditions: readonly {
    readonly isNot: boolean;
    readonly token: string | null;
    readonly etag: string | null;
  }[];
}

/** Null where it is not one (RFC 4918 §10.4). */
export function parseIf(header: string): IfList[] | null {
  const lists: IfList[] = [];
  let rest = header.trim();
  let resource: string | null = null;
  while (rest !== "") {
    const tagged = /^<([^>]*)>\s*/.exec(rest);
    if (tagged) {
      resource = tagged[1] ?? "";
      rest = rest.slice(tagged[0].length);
    }
    const list = /^\(((?:[^()"<>]|"[^"]*"|<[^>]*>)*)\)\s*/.exec(rest);
    if (!list) return null;
    rest = rest.slice(list[0].length);
    const conditions: IfList["conditions"][number][] = [];
    let inside = (list[1] ?? "").trim();
    while (inside !== "") {
      const condition = /^(not\s+)?(?:<([^>]*)>|\[((?:W\/)?"[^"]*")\])\s*/i.exec(inside);
      if (!condition) return null;
      conditions.push({ isNot: condition[1] !== undefined, token: condition[2] ?? null, etag: condition[3] ?? null });
      inside = inside.slice(condition[0].length);
    }
    if (conditions.length === 0) return null;
    lists.push({ resource, conditions });
  }
  return lists.length > 0 ? lists : null;
}
