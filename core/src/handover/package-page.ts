/**
 * The page that a package is: what opens it, and behind that the package itself. One that a browser can hold stands in
 * it, in pieces; of a larger one the page stops to load at its own end, and reads what is behind it from the file, which
 * is chosen once more. FORMAT.md §16.
 */
const MOST_INSIDE = 100 * 1024 * 1024;
/** Divides by 3, so that pieces of base64 follow one another. */
const PIECE_BYTES = 6 * 1024 * 1024;
const OFFSET_DIGITS = 12;
const BEFORE_PACKAGE = "%PACKAGE%";
const BEFORE_PIECES = "%PIECES%";
/** Whatever follows is no markup, also to who reads on. */
export const BEHIND = Buffer.from("<!-- The package follows, encrypted.\n");

export interface PackagePage {
  begin(): void;
  /** Encrypted bytes, in order. */
  add(sealed: Uint8Array): void;
  end(): void;
}

/** What stands in the page about the package, as JSON. */
export interface PageHead {
  readonly layout: "inside" | "behind";
  /** Of the first byte behind the page, in decimal digits. */
  readonly offset: string;
  /** Base64 of the package's head. */
  readonly head: string;
}

/** `bytes`: about how many there will be. @throws TypeError for a page that has no place for it */
export function packagePage(
  template: Buffer,
  head: Buffer,
  bytes: number,
  put: (bytes: Uint8Array) => void,
): PackagePage {
  const text = template.toString("utf8");
  const [before, rest, ...more] = text.split(BEFORE_PACKAGE);
  const [script, after] = rest?.split(BEFORE_PIECES) ?? [];
  if (before === undefined || script === undefined || after === undefined || more.length > 0)
    throw new TypeError("page: it has no place for a package");
  const headed = (layout: PageHead["layout"], offset: number): string =>
    JSON.stringify({
      layout,
      offset: String(offset).padStart(OFFSET_DIGITS, "0"),
      head: head.toString("base64"),
    } satisfies PageHead);
  return bytes <= MOST_INSIDE
    ? new Inside(before + headed("inside", 0) + script, after, put)
    : behind((offset) => Buffer.from(before + headed("behind", offset) + script), put);
}

class Inside implements PackagePage {
  private readonly piece = Buffer.alloc(PIECE_BYTES);
  private filled = 0;

  constructor(
    private readonly before: string,
    private readonly after: string,
    private readonly put: (bytes: Uint8Array) => void,
  ) {}

  begin(): void {
    this.put(Buffer.from(this.before));
  }

  add(sealed: Uint8Array): void {
    for (let at = 0; at < sealed.length;) {
      const part = sealed.subarray(at, at + PIECE_BYTES - this.filled);
      this.piece.set(part, this.filled);
      this.filled += part.length;
      at += part.length;
      if (this.filled === PIECE_BYTES) this.flush();
    }
  }

  end(): void {
    this.flush();
    this.put(Buffer.from(this.after));
  }

  private flush(): void {
    if (this.filled === 0) return;
    const text = this.piece.subarray(0, this.filled).toString("base64");
    this.put(Buffer.from(`<script type="text/plain" class="piece">${text}</script>\n`));
    this.filled = 0;
  }
}

function behind(page: (offset: number) => Buffer, put: (bytes: Uint8Array) => void): PackagePage {
  const offset = page(0).length + BEHIND.length;
  return {
    begin: () => {
      put(page(offset));
      put(BEHIND);
    },
    add: put,
    end: () => undefined,
  };
}
