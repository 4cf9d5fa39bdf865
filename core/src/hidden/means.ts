import { say } from "@eremos/words/core/hidden";
/** The common means by which people hide things, without any program for it; what a name alone tells. */
/**
 * A name that begins with a dot; one on the directory's `.hidden` list; one of blanks or invisible characters; one with
 * a shell's class id behind it; permissions that do not let its owner read it; a flag that lets nobody change or remove
 * it; a FAT or NTFS volume's own "hidden" or "system"; another icon than a folder's.
 */
export type Means = "dot" | "list" | "blank" | "class-id" | "no-read" | "immutable" | "attributes" | "icon";

/** `Name.{21EC2020-3AEA-1069-A2DD-08002B30309D}`: a desktop of another system shows something else than a folder. */
const CLASS_ID = /\.\{[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}\}$/i;
/**
 * White space, control characters, and what is as wide as nothing or shows nothing: Unicode's format characters,
 * fillers and blanks.
 */
const INVISIBLE = /^[\s\p{Cc}\p{Cf}\p{Zs}\u115f\u1160\u2800\u3164\uffa0]+$/u;

export function meansByName(name: string): Means[] {
  const means: Means[] = [];
  if (name.startsWith(".") && name !== "." && name !== "..") means.push("dot");
  if (CLASS_ID.test(name)) means.push("class-id");
  if (INVISIBLE.test(name.replace(/^\.+/, "") || (name.startsWith(".") ? "x" : " "))) means.push("blank");
  return means;
}

/** The name it has when it is not hidden by its name any more. */
export function plainName(name: string): string {
  const plain = name.replace(CLASS_ID, "").replace(/^\.+/, "");
  return plain === "" || INVISIBLE.test(plain) ? "Found again" : plain;
}

/** For people: what can't be seen is told instead. */
export function shownName(name: string): string {
  if (!INVISIBLE.test(name))
    return [...name].map((character) => (/[\p{Cc}\p{Cf}]/u.test(character) ? codeOf(character) : character)).join("");
  const codes = [...new Set([...name].map(codeOf))];
  return say("name-characters-that-cant-be", { value: [...name].length, codes: codes.join(", ") });
}

function codeOf(character: string): string {
  return `U+${(character.codePointAt(0) ?? 0).toString(16).toUpperCase().padStart(4, "0")}`;
}

/** [MS-FSCC] §2.6: hidden and system. */
const HIDDEN_OR_SYSTEM = 0x2 | 0x4;

export function isHiddenByVolume(attributes: number | null): boolean {
  return attributes !== null && (attributes & HIDDEN_OR_SYSTEM) !== 0;
}

export function shownByVolume(attributes: number): number {
  return attributes & ~HIDDEN_OR_SYSTEM;
}
