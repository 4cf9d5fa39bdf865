import { isBelow } from "./locks";

/**
 * Properties that programs put on what they find ("dead" ones, RFC 4918 §4), by path. They last as long as the visit.
 */
export class DeadProperties {
  private readonly byPath = new Map<string, Map<string, string>>();
  private size = 0;

  /** Elements as text, by their {@link keyOf} name. */
  of(path: string): ReadonlyMap<string, string> {
    return this.byPath.get(path) ?? new Map();
  }

  /** False where there are too many already. */
  set(path: string, changes: readonly (readonly [key: string, element: string | null])[]): boolean {
    const properties = new Map(this.of(path));
    const before = sizeOf(properties);
    for (const [key, element] of changes) {
      if (element === null) properties.delete(key);
      else properties.set(key, element);
    }
    const size = this.size - before + sizeOf(properties);
    if (size > MOST_CHARACTERS) return false;
    this.size = size;
    this.byPath.set(path, properties);
    return true;
  }

  forget(path: string): void {
    for (const known of [...this.byPath.keys()]) if (known === path || isBelow(known, path)) this.drop(known);
  }

  private drop(path: string): void {
    this.size -= sizeOf(this.of(path));
    this.byPath.delete(path);
  }

  copy(from: string, to: string, isDeep: boolean): void {
    for (const [known, properties] of [...this.byPath]) {
      if (known !== from && !(isDeep && isBelow(known, from))) continue;
      this.set(`${to}${known.slice(from.length)}`, [...properties]);
    }
  }
}

const MOST_CHARACTERS = 32 * 1024 * 1024;

function sizeOf(properties: ReadonlyMap<string, string>): number {
  return [...properties].reduce((sum, [key, element]) => sum + key.length + element.length, 0);
}
