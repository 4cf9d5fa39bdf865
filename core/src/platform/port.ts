import type { Ciphers } from "../crypto/ciphers";

/**
 * The file-system port: everything the engine asks of a platform. Calls are synchronous (two to four times faster than
 * promises for many small files); they run in a worker thread. Entries are named by an open directory and one name, so
 * a parent that is swapped meanwhile can't lead anywhere else, and no path is ever too long.
 *
 * Calls throw system errors with an errno `code` ("ENOENT"). Names are bytes.
 */
export interface Dir {
  readonly handle: number;
}
export interface OpenFile {
  readonly handle: number;
}

export type EntryType = "file" | "dir" | "link" | "fifo" | "socket" | "device";

export interface Stat {
  readonly type: EntryType;
  readonly dev: bigint;
  readonly ino: bigint;
  /** Permission bits, 0 to 0o7777. */
  readonly mode: number;
  readonly uid: number;
  readonly gid: number;
  readonly nlink: number;
  readonly size: number;
  /** 512-byte blocks in use. */
  readonly blocks: number;
  readonly mtimeNs: bigint;
  readonly ctimeNs: bigint;
  readonly atimeNs: bigint;
  /** When it was made, which no program can set; 0 where the file system doesn't tell. */
  readonly bornNs: bigint;
  /** The system lets nobody change, rename or remove it, whatever the permissions. */
  readonly isFrozen: boolean;
}

/** What a file system holds of what an entry is, besides its name, content and kind. */
export interface Holding {
  /** Owners, permission bits, and what stands beside them: access lists and the system's own attributes. */
  readonly permissions: boolean;
  /** Other extended attributes. */
  readonly attributes: boolean;
  /** Every name that this system has. */
  readonly names: boolean;
  /** Names that differ only in case are two. */
  readonly tellsCase: boolean;
  /** A modification time is told to this many nanoseconds. */
  readonly timeStepNs: bigint;
}

export const HOLDS_ALL: Holding = { permissions: true, attributes: true, names: true, tellsCase: true, timeStepNs: 1n };

/** An extended attribute. */
export interface Attribute {
  readonly name: Buffer;
  readonly value: Buffer;
}

export interface Holder {
  readonly pid: number;
  readonly program: string;
  /** Paths it holds, for display. */
  readonly paths: readonly string[];
  readonly writes: boolean;
  /** It was told to pause, and does nothing before it is told to go on. */
  readonly isStopped: boolean;
}

/** By what this computer knows the records that it wrote itself from those that others wrote. */
export interface Identity {
  /** By which its records are named: 16 bytes, hexadecimal. */
  readonly id: string;
  prove(message: Uint8Array): string;
  isOwn(message: Uint8Array, proof: string): boolean;
}

/** An account of this computer, with every group it is in. */
interface Account {
  readonly name: string;
  readonly uid: number;
  readonly gids: readonly number[];
}

/**
 * What a directory's file system does when a file is written over, and what it lies on, as far as the system tells; null:
 * it does not.
 */
export interface Medium {
  /** Of the file system, as the system names it. */
  readonly type: string;
  /**
   * Writes over a file's own blocks; into others beside them (`elsewhere`: copy-on-write, log-structured, layered); on
   * no disk at all; or nobody here knows: over a network, through a program of its own.
   */
  readonly writes: "in-place" | "elsewhere" | "in-memory" | "remote" | "unknown";
  /** Contents go through a journal first, which keeps them for a while. */
  readonly journalsData: boolean;
  /** Snapshots, or other volumes, may share its blocks. */
  readonly hasSnapshots: boolean;
  /** Turns, so that a block has one place; false: the drive may write to another place each time. */
  readonly rotates: boolean | null;
  /** The drive can be told which blocks are not needed any more. */
  readonly discards: boolean;
  /** The system tells it by itself, when a file goes. */
  readonly discardsItself: boolean;
  readonly isEncryptedBelow: boolean;
  /** Where it is mounted. */
  readonly mountedAt: string;
}

export interface AccountLists {
  readonly accounts: readonly Account[];
  readonly groupNames: ReadonlyMap<number, string>;
  /**
   * Some accounts come from where they can't be listed (a directory service): any group may have members that nobody
   * names here.
   */
  readonly isPartial: boolean;
}

/** Flags by which file systems hide or freeze an entry, by its path: of what a search has come to. */
export interface EntryFlags {
  isImmutable(path: Buffer): boolean;
  /** Only an administrator may. Returns whether it was done. */
  setImmutable(path: Buffer, isSet: boolean): boolean;
  /** The attributes of a FAT or NTFS volume ([MS-FSCC] §2.6); null where it has none. */
  volumeAttributes(path: Buffer): number | null;
  /** Returns whether it was done. */
  setVolumeAttributes(path: Buffer, attributes: number): boolean;
}

/** What a look by a path shows of an entry. */
export interface PlainEntry {
  readonly type: "dir" | "file" | "link" | "other";
  readonly size: number;
  /** Permission bits, 0 to 0o7777. */
  readonly mode: number;
  readonly uid: number;
}

/**
 * Looks by paths, as any program of this account looks: for what others see, and for what is found by walking. What is
 * acted on is held first.
 */
export interface Looks {
  /** What stands there, a link as itself; null: nothing. @throws system errors */
  entry(path: Buffer): PlainEntry | null;
  /** Names in a directory, without "." and "..". @throws system errors */
  listing(path: Buffer): { readonly name: Buffer; readonly type: PlainEntry["type"] }[];
  /** Whether a path leads to anything, links followed. */
  isThere(path: Buffer): boolean;
  /** The beginning of a file, or what follows an offset; null: it is no file that can be read, or a link. */
  read(path: Buffer, mostBytes: number, offset?: number): Buffer | null;
}

export interface Disk {
  /** The operating system whose paths, inode numbers and times these are; those of another one say nothing here. */
  readonly system: string;
  readonly identity: Identity;

  /** Opens a directory by path; the last part must not be a symbolic link. */
  openRoot(path: Buffer): Dir;
  openDir(dir: Dir, name: Buffer): Dir;
  /** Opens a directory that this account may not list, to reach what it knows by name in it. */
  enterDir(dir: Dir, name: Buffer): Dir;
  closeDir(dir: Dir): void;
  /** Names in a directory, without "." and "..". */
  list(dir: Dir): Buffer[];
  stat(dir: Dir, name: Buffer): Stat;
  /** Of an open file or directory itself. */
  statOpen(of: Dir | OpenFile): Stat;
  /** The entry's stat, or null when there is none. */
  find(dir: Dir, name: Buffer): Stat | null;

  openRead(dir: Dir, name: Buffer): OpenFile;
  /** Opens a file that is there for reading and writing, as it is. A link is not followed. */
  openWrite(dir: Dir, name: Buffer): OpenFile;
  /** Creates a file that must not exist. */
  create(dir: Dir, name: Buffer, mode: number): OpenFile;
  /** Bytes read; fewer than `length` only at the end. */
  read(file: OpenFile, into: Buffer, offset: number, length: number, position: number): number;
  write(file: OpenFile, from: Buffer, offset: number, length: number, position: number): void;
  truncate(file: OpenFile, size: number): void;
  /** Where data lies, or null when the file has no holes (or the platform can't tell). */
  extents(file: OpenFile, size: number): { offset: number; length: number }[] | null;
  syncFile(file: OpenFile): void;
  closeFile(file: OpenFile): void;

  syncDir(dir: Dir): void;
  /** Makes everything written to this file system so far durable. */
  barrier(dir: Dir): void;

  makeDir(dir: Dir, name: Buffer, mode: number): void;
  makeLink(dir: Dir, name: Buffer, target: Buffer): void;
  makeHardLink(fromDir: Dir, fromName: Buffer, toDir: Dir, toName: Buffer): void;
  readLink(dir: Dir, name: Buffer): Buffer;
  /** Replaces what stands there. */
  rename(fromDir: Dir, fromName: Buffer, toDir: Dir, toName: Buffer): void;
  /** Fails with EEXIST when something stands there. */
  renameExclusive(fromDir: Dir, fromName: Buffer, toDir: Dir, toName: Buffer): void;
  unlink(dir: Dir, name: Buffer): void;
  removeDir(dir: Dir, name: Buffer): void;

  /** Of an entry that is not a link, also one that may not be opened. */
  setMode(dir: Dir, name: Buffer, mode: number): void;
  setOwner(of: Dir | OpenFile, uid: number, gid: number): void;
  setTimes(of: Dir | OpenFile, atimeNs: bigint, mtimeNs: bigint): void;
  setOpenMode(of: Dir | OpenFile, mode: number): void;
  xattrs(of: Dir | OpenFile): Attribute[];
  setXattr(of: Dir | OpenFile, attribute: Attribute): void;

  /** Removes the access control lists that the directory inherited, so that nothing made in it inherits them. */
  clearAccessLists(dir: Dir): void;

  /** Of the link itself. */
  setLinkOwner(dir: Dir, name: Buffer, uid: number, gid: number): void;
  setLinkTimes(dir: Dir, name: Buffer, atimeNs: bigint, mtimeNs: bigint): void;
  linkXattrs(dir: Dir, name: Buffer): Attribute[];
  setLinkXattr(dir: Dir, name: Buffer, attribute: Attribute): void;

  /** Whether this process may list and enter, or read, the entry. */
  readable(dir: Dir, name: Buffer, stat: Stat): boolean;
  writable(dir: Dir): boolean;
  /** Whether this account may change the entry's mode. */
  owns(stat: Stat): boolean;
  /** Whether inode numbers and status times here tell one file from another for certain. */
  identifies(dir: Dir): boolean;
  /**
   * What the file system here holds. Makes a file in the directory, and takes it away again; where none can be made it
   * says {@link HOLDS_ALL}.
   */
  holds(dir: Dir): Holding;
  /** Free bytes for this account on the directory's file system. */
  freeBytes(dir: Dir): number;
  /** A lock that the system releases when the process ends; null when somebody else holds it. */
  tryLock(dir: Dir, name: Buffer): OpenFile | null;
  /** Whether somebody holds that lock. Writes nothing, and others may ask at the same time. */
  isLocked(dir: Dir, name: Buffer): boolean;
  /**
   * Whether any program has the file open for writing, or mapped so, whoever sees it; null where that can't be told.
   */
  isWritten(dir: Dir, name: Buffer): boolean | null;
  /**
   * Whether somebody else has the file open or mapped, to read or to write; null where that can't be told. It is open
   * for writing, once.
   */
  isHeldOpen(file: OpenFile): boolean | null;
  /** Whether other files, or snapshots, share blocks with it; null where the file system does not tell. */
  sharesBlocks(file: OpenFile): boolean | null;
  readonly flags: EntryFlags;
  readonly looks: Looks;
  /** What the directory's file system does with what is written over, and what it lies on. */
  medium(dir: Dir): Medium;
  /** Programs that hold something below this path open, as far as they can be named. */
  holders(path: Buffer): Holder[];
  /** Names of the programs of this account that run now. */
  programs(): readonly string[];
  /** Whether a process of this account runs that was started with this setting (`NAME=value`), by whatever way. */
  runsWith(setting: string): boolean;
  /** Who has an account on this computer, as far as that can be listed. */
  accounts(): AccountLists;
  /** Blocks this thread. */
  wait(milliseconds: number): void;
}

/** What the engine is handed: everything that it may ask of the computer it runs on. */
export interface Platform {
  readonly disk: Disk;
  /** Null: Node's own are used. */
  readonly ciphers: Ciphers | null;
  /** From now on this thread steps back behind others by a little: where all want to run, they get more of the time. */
  readonly giveWay: () => void;
}
