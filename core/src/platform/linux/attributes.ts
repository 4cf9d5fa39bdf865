import * as fs from "node:fs";
import koffi from "koffi";
import type { EntryFlags } from "../port";

/**
 * Flags of file systems that hide or freeze an entry. Linux: ioctl_iflags(2); FAT's own by its ioctl, NTFS' by the
 * attribute its drivers offer.
 */
const libc = koffi.load(null);
const ioctlRaw = libc.func("int ioctl(int, unsigned long, void *)") as (
  fd: number,
  request: number,
  value: Buffer,
) => number;
const getxattrRaw = libc.func("int64_t lgetxattr(const void *, const void *, void *, size_t)") as (
  path: Buffer,
  name: Buffer,
  value: Buffer,
  size: number,
) => number;
const setxattrRaw = libc.func("int lsetxattr(const void *, const void *, const void *, size_t, int)") as (
  path: Buffer,
  name: Buffer,
  value: Buffer,
  size: number,
  flags: number,
) => number;

const FS_IOC_GETFLAGS = 0x80086601;
const FS_IOC_SETFLAGS = 0x40086602;
const FS_IMMUTABLE_FL = 0x10;
const FAT_IOCTL_GET_ATTRIBUTES = 0x80047210;
const FAT_IOCTL_SET_ATTRIBUTES = 0x40047211;
const NTFS_ATTRIBUTE = Buffer.from("system.ntfs_attrib_be\0");

const cString = (path: Buffer): Buffer => Buffer.concat([path, Buffer.alloc(1)]);

function withDescriptor<T>(path: Buffer, use: (fd: number) => T): T | null {
  let fd: number;
  try {
    fd = fs.openSync(path, fs.constants.O_RDONLY | fs.constants.O_NOFOLLOW | fs.constants.O_NONBLOCK);
  } catch {
    return null;
  }
  try {
    return use(fd);
  } finally {
    fs.closeSync(fd);
  }
}

function flagsOf(path: Buffer): number | null {
  return withDescriptor(path, (fd) => {
    const value = Buffer.alloc(8);
    return ioctlRaw(fd, FS_IOC_GETFLAGS, value) === 0 ? value.readUInt32LE(0) : null;
  });
}

function isImmutable(path: Buffer): boolean {
  return ((flagsOf(path) ?? 0) & FS_IMMUTABLE_FL) !== 0;
}

function setImmutable(path: Buffer, isSet: boolean): boolean {
  const flags = flagsOf(path);
  if (flags === null) return false;
  const value = Buffer.alloc(8);
  value.writeUInt32LE(isSet ? flags | FS_IMMUTABLE_FL : flags & ~FS_IMMUTABLE_FL);
  return withDescriptor(path, (fd) => ioctlRaw(fd, FS_IOC_SETFLAGS, value) === 0) ?? false;
}

function volumeAttributes(path: Buffer): number | null {
  const value = Buffer.alloc(4);
  if (getxattrRaw(cString(path), NTFS_ATTRIBUTE, value, 4) === 4) return value.readUInt32BE(0);
  return withDescriptor(path, (fd) =>
    ioctlRaw(fd, FAT_IOCTL_GET_ATTRIBUTES, value) === 0 ? value.readUInt32LE(0) : null,
  );
}

function setVolumeAttributes(path: Buffer, attributes: number): boolean {
  const value = Buffer.alloc(4);
  value.writeUInt32BE(attributes);
  if (setxattrRaw(cString(path), NTFS_ATTRIBUTE, value, 4, 0) === 0) return true;
  value.writeUInt32LE(attributes);
  return withDescriptor(path, (fd) => ioctlRaw(fd, FAT_IOCTL_SET_ATTRIBUTES, value) === 0) ?? false;
}

export const linuxFlags: EntryFlags = { isImmutable, setImmutable, volumeAttributes, setVolumeAttributes };
