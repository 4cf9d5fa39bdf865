import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import type { OpenNote, SealingInput, Signer } from "../../src/engine/contents/sealing-input";
import type { Locked, SealedFacts, Unlocked, UnsealedFacts, Unsealing } from "../../src/engine/guards/guard";
import { lockFolder, releaseFolder, unlockFolder } from "../../src/engine/guards/verbs";
import { NO_BARS } from "../../src/format/guards";
import { type Hooks, silentHooks } from "../../src/engine/ground/hooks";
import type { OwnerAccess } from "../../src/engine/records/keys";
import { generateSigningKey } from "../../src/crypto/signature";
import { LEAST_COST } from "../../src/crypto/kdf";
import { newId } from "../../src/format/ids";
import { createOwner, withPassword } from "../../src/format/owner";
import { newRecoveryCode } from "../../src/format/codes/recovery-code";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { attributesAt } from "../../src/platform/linux/libc";
import type { Disk } from "../../src/platform/port";

export const PASSWORD = "violin varnish at dusk";
export const NEW_PASSWORD = "half a cello and a bow";

export interface Person {
  readonly code: string;
  readonly access: OwnerAccess;
  readonly owner: Signer;
  readonly device: Extract<Signer, { by: "device" }>;
  /** After the master password was changed to {@link NEW_PASSWORD}. */
  readonly renewed: OwnerAccess;
}

/** An owner with the cheapest allowed password hashing. */
export async function newPerson(): Promise<Person> {
  const code = newRecoveryCode();
  const device = generateSigningKey();
  const { envelope, rootKey } = await createOwner(PASSWORD, code, LEAST_COST, [
    { publicKey: device.publicKey, name: "desktop", since: 0 },
  ]);
  return {
    code,
    access: { owner: envelope, rootKey, folderKey: null, devices: [device.publicKey] },
    owner: { by: "owner", owner: envelope, rootKey, device: device.publicKey, password: null },
    device: { by: "device", owner: envelope, device },
    renewed: {
      owner: await withPassword(envelope, rootKey, NEW_PASSWORD, LEAST_COST),
      rootKey,
      folderKey: null,
      devices: [device.publicKey],
    },
  };
}

export function newDirectory(base = os.tmpdir()): string {
  return fs.mkdtempSync(path.join(base, "eremos-test-"));
}

/** Node's own can't remove paths longer than the system takes at once; a process for each of thousands costs more. */
export function removeDirectory(directory: string): void {
  try {
    fs.rmSync(directory, { recursive: true, force: true });
  } catch {
    spawnSync("rm", ["-rf", "--", directory]);
  }
}

export interface LockOptions {
  readonly disk?: Disk;
  readonly visibility?: SealingInput["visibility"];
  readonly cover?: string | null;
  readonly icon?: Buffer | null;
  /** Where a held area may be; the folder's own directory unless given. */
  readonly places?: SealingInput["places"];
  readonly note?: OpenNote | null;
  readonly folder?: string;
  readonly hooks?: Hooks;
  readonly page?: Buffer | null;
  readonly item?: Buffer | null;
  readonly inUseAnyway?: boolean;
  readonly keepEarlier?: number;
  readonly keptHeader?: Buffer;
  readonly rekey?: boolean;
  readonly overwrite?: number;
}

export const ICON = Buffer.from("[Desktop Entry]\nIcon=x-office-address-book\n");
export const ITEM = Buffer.from("Eremos item 1\n");
export const PAGE = Buffer.from("<!doctype html><title>Locked</title>");

/** What a lock ends with, in one. */
export interface LockOutcome extends SealedFacts, Omit<Locked, "sealed" | "path"> {
  /** Where it is now. */
  readonly realPath: Buffer;
}

export async function lock(folder: string, signer: Signer, options: LockOptions = {}): Promise<LockOutcome> {
  const visibility = options.visibility ?? "view";
  const {
    sealed,
    path: realPath,
    ...locked
  } = await lockFolder(
    options.disk ?? linuxDisk,
    {
      guard: "sealed",
      bars: NO_BARS,
      owner: signer.owner,
      path: Buffer.from(folder),
      folder: options.folder ?? newId(),
      visibility,
      places: options.places ?? [Buffer.from(path.dirname(folder))],
      cover: options.cover ?? null,
      sealing: {
        signer,
        note: options.note ?? null,
        icon: options.icon ?? null,
        item: options.item ?? null,
        page: options.page ?? (visibility === "view" ? PAGE : null),
        inUseAnyway: options.inUseAnyway ?? false,
        keepEarlier: options.keepEarlier ?? 0,
        overwrite: options.overwrite ?? 0,
        ...(options.keptHeader ? { keptHeader: options.keptHeader } : {}),
        ...(options.rekey === undefined ? {} : { rekey: options.rekey }),
      },
    },
    options.hooks ?? silentHooks,
  );
  if (!sealed) throw new Error("nothing was sealed");
  return { ...sealed, ...locked, realPath };
}

export interface OpenOptions {
  readonly disk?: Disk;
  readonly hooks?: Hooks;
  readonly expected?: Unsealing["expected"];
  readonly accept?: Unsealing["accept"];
  readonly closed?: boolean;
  readonly keptHeader?: Buffer | null;
  readonly keepEarlier?: number;
}

/** What an opening ends with, in one. */
export interface UnlockOutcome extends UnsealedFacts, Omit<Unlocked, "unsealed"> {}

const opening =
  (verb: typeof unlockFolder) =>
  async (folder: string | Buffer, access: OwnerAccess, options: OpenOptions = {}): Promise<UnlockOutcome> => {
    const { unsealed, ...opened } = await verb(
      options.disk ?? linuxDisk,
      {
        path: Buffer.from(folder),
        place: Buffer.from(folder),
        guard: "sealed",
        closed: options.closed ?? false,
        sealed: {
          access,
          keptHeader: options.keptHeader ?? null,
          expected: options.expected ?? null,
          accept: options.accept ?? [],
          keepEarlier: options.keepEarlier ?? 0,
        },
      },
      options.hooks ?? silentHooks,
    );
    if (!unsealed) throw new Error("nothing was sealed");
    return { ...unsealed, ...opened };
  };

export const unlock = opening(unlockFolder);
export const release = opening(releaseFolder);

/**
 * Everything that must come back, one line an entry: path, type, mode, owner, times, size, links, attributes, content.
 */
export function snapshot(directory: string, options: { readonly withoutOwnDir?: boolean } = {}): string[] {
  const lines: string[] = [];
  const links = new Map<string, number>();
  const visit = (at: Buffer, shown: string): void => {
    const stat = fs.lstatSync(at, { bigint: true });
    const times = `mtime=${stat.mtimeNs}`;
    const attributes = attributesAt(at)
      .map((xattr) => `${xattr.name.toString("latin1")}=${xattr.value.toString("hex")}`)
      .sort()
      .join(",");
    const inode = `${stat.dev}:${stat.ino}`;
    if (!links.has(inode)) links.set(inode, links.size);
    const group = stat.isFile() && stat.nlink > 1n ? `same=${links.get(inode)}` : "";
    const common = `${shown || "."} ${stat.mode.toString(8)} ${stat.uid}:${stat.gid} ${times} ${attributes} ${group}`;
    if (stat.isSymbolicLink())
      lines.push(`${common} -> ${fs.readlinkSync(at, { encoding: "buffer" }).toString("hex")}`);
    else if (stat.isFile())
      lines.push(
        `${common} ${stat.size} ${createHash("blake2b512").update(fs.readFileSync(at)).digest("hex").slice(0, 64)}`,
      );
    else lines.push(common);
    if (!stat.isDirectory()) return;
    const names = fs.readdirSync(at, { encoding: "buffer" }).sort((a, b) => Buffer.compare(a, b));
    for (const name of names) {
      if (options.withoutOwnDir && name.toString() === ".eremos") continue;
      visit(Buffer.concat([at, Buffer.from("/"), name]), `${shown}/${name.toString("latin1")}`);
    }
  };
  visit(Buffer.from(directory), "");
  return lines;
}

/** A small tree with one of everything that can be locked. */
export function makeMixedTree(directory: string): void {
  const file = (name: string, content: Buffer | string, mode = 0o644): void => {
    fs.mkdirSync(path.dirname(path.join(directory, name)), { recursive: true });
    fs.writeFileSync(path.join(directory, name), content);
    fs.chmodSync(path.join(directory, name), mode);
  };
  file("letter.txt", "Dear Jonas,\nthe cello is a surprise.\n");
  file("empty.dat", "");
  file("photos/scroll.png", Buffer.alloc(70_000, "scroll"));
  file("photos/large.bin", Buffer.alloc(1_300_000, "0123456789abcdef"), 0o600);
  file("photos/deep/er/still/note.md", "# Note\n");
  file("script.sh", "#!/bin/sh\necho hi\n", 0o755);
  file("Árvíztűrő – 名前.txt", "names of any script");
  fs.writeFileSync(
    Buffer.concat([Buffer.from(`${directory}/`), Buffer.from([0xff, 0xfe, 0x0a, 0x20, 0x80])]),
    "bytes that are not UTF-8",
  );
  fs.mkdirSync(path.join(directory, "empty directory"));
  fs.symlinkSync("letter.txt", path.join(directory, "link to letter"));
  fs.symlinkSync("/nowhere/at/all", path.join(directory, "dangling"));
  fs.linkSync(path.join(directory, "letter.txt"), path.join(directory, "photos/same letter.txt"));
  const sparse = fs.openSync(path.join(directory, "sparse.img"), "w");
  fs.writeSync(sparse, "middle", 2_000_000);
  fs.ftruncateSync(sparse, 5_000_000);
  fs.closeSync(sparse);
  fs.chmodSync(path.join(directory, "photos/deep"), 0o500);
  for (const [name, seconds] of [
    ["letter.txt", 1_400_000_000.123456],
    ["photos/deep/er", 1_300_000_000.5],
    ["photos", 1_200_000_000.25],
    ["empty directory", 1_111_111_111],
  ] as const) {
    fs.utimesSync(path.join(directory, name), seconds, seconds);
  }
  fs.lutimesSync(path.join(directory, "dangling"), 1_000_000_000, 1_000_000_000);
  fs.utimesSync(directory, 1_500_000_000, 1_500_000_000);
}
