import { BlobWriter, type Entry, Reader, Uint8ArrayWriter, ZipReader, configure } from "@zip.js/zip.js";
import { EremosError, PackageReader, type PackedSource, type PageHead, openPackage } from "@eremos/core/rescue";
import { said } from "@eremos/words/reader/package";
import { decrypt } from "./files-source";

configure({ useWebWorkers: false });

/** Without it, chunks are decrypted by what is bundled: slower, and the same. */
const platform = globalThis.crypto?.subtle ? { decrypt } : {};

/** What stands in this page about its package. */
export function headInPage(): PageHead {
  return JSON.parse(document.getElementById("package")?.textContent ?? "") as PageHead;
}

/** From the pieces of base64 that stand in the page, of which one is kept decoded. */
export function sourceInPage(): PackedSource {
  const pieces = [...document.querySelectorAll("script.piece")];
  let last = { number: -1, bytes: Buffer.alloc(0) };
  const piece = (number: number): Buffer => {
    if (last.number !== number) last = { number, bytes: Buffer.from(pieces[number]?.textContent ?? "", "base64") };
    return last.bytes;
  };
  const each = pieces.length > 0 ? piece(0).length : 0;
  const size = pieces.length > 0 ? (pieces.length - 1) * each + piece(pieces.length - 1).length : 0;
  return {
    ...platform,
    size,
    read: async (offset, length) => {
      const parts: Buffer[] = [];
      for (let at = offset; at < Math.min(offset + length, size);) {
        const start = at % each;
        const part = piece(Math.floor(at / each)).subarray(start, start + offset + length - at);
        parts.push(part);
        at += part.length;
      }
      return Buffer.concat(parts);
    },
  };
}

/** From the file that this page is, chosen once more. @throws EremosError `not-found` where it is another one */
export async function sourceInFile(file: File, { offset, head }: PageHead): Promise<PackedSource> {
  const begin = Number(offset);
  const page = file.size > begin ? await file.slice(0, begin).text() : "";
  if (!page.includes(head)) throw new EremosError("not-found", said("that-is-another-file"));
  return {
    ...platform,
    size: file.size - begin,
    read: async (at, length) =>
      Buffer.from(await file.slice(begin + at, Math.min(begin + at + length, file.size)).arrayBuffer()),
  };
}

/** What is in an opened package. */
export class Packed {
  private constructor(
    private readonly reader: PackageReader,
    readonly files: readonly Entry[],
  ) {}

  /** @throws EremosError `wrong-password` | `damaged` */
  static async open(source: PackedSource, head: PageHead, password: string): Promise<Packed> {
    const cipher = await openPackage(Buffer.from(head.head, "base64"), password);
    const reader = new PackageReader(source, cipher);
    await reader.requireEnd();
    const entries = await new ZipReader(new Archive(reader)).getEntries();
    return new Packed(
      reader,
      entries.filter(({ directory }) => !directory),
    );
  }

  get length(): number {
    return this.reader.length;
  }

  /** All of it, as the archive it is. */
  pieces(): AsyncGenerator<Buffer> {
    return this.reader.pieces(0, this.reader.length);
  }

  contents(entry: Entry, type: string): Promise<Blob> {
    if (entry.directory) return Promise.resolve(new Blob());
    return entry.getData(new BlobWriter(type));
  }

  async bytes(entry: Entry): Promise<Uint8Array> {
    return entry.directory ? new Uint8Array() : entry.getData(new Uint8ArrayWriter());
  }
}

class Archive extends Reader<PackageReader> {
  constructor(private readonly reader: PackageReader) {
    super(reader);
    this.size = reader.length;
  }

  override async readUint8Array(index: number, length: number): Promise<Uint8Array> {
    return Uint8Array.from(await this.reader.read(index, length));
  }
}
