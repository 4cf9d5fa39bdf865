import { randomBytes, sha256 } from "../crypto/bytes";

/**
 * The recovery code: 160 random bits in 8 groups of 5 characters (Crockford's base 32). The last character of a group
 * checks the four before it and the group's place, so a mistyped or swapped group is known at once. FORMAT.md §3.3.
 */
const ALPHABET = "0123456789ABCDEFGHJKMNPQRSTVWXYZ";
export const CODE_GROUPS = 8;
const DATA_PER_GROUP = 4;
const CODE_BYTES = 20;

export function newRecoveryCode(): string {
  return formatRecoveryCode(randomBytes(CODE_BYTES));
}

export function formatRecoveryCode(secret: Uint8Array): string {
  if (secret.length !== CODE_BYTES) throw new RangeError(`secret must be ${CODE_BYTES} bytes, got ${secret.length}`);
  let bits = BigInt(`0x${Buffer.from(secret).toString("hex")}`);
  const characters: string[] = [];
  for (let i = 0; i < CODE_GROUPS * DATA_PER_GROUP; i++) {
    characters.unshift(characterAt(Number(bits & 31n)));
    bits >>= 5n;
  }
  const groups: string[] = [];
  for (let group = 0; group < CODE_GROUPS; group++) {
    const data = characters.slice(group * DATA_PER_GROUP, (group + 1) * DATA_PER_GROUP).join("");
    groups.push(data + checkCharacter(group, data));
  }
  return groups.join("-");
}

function characterAt(value: number): string {
  return ALPHABET.charAt(value);
}

function checkCharacter(group: number, data: string): string {
  const digest = sha256(Buffer.from(`eremos/1/code/${group}/${data}`, "utf8"));
  return characterAt((digest[0] ?? 0) & 31);
}

/** Upper case, with the letters people confuse (I, L, O) read as the digits they stand for; everything else is dropped. */
export function normaliseCodeText(text: string): string {
  return text.toUpperCase().replace(/[IL]/g, "1").replace(/O/g, "0").replace(/[^0-9A-HJKMNP-TV-Z]/g, "");
}

/** Whether one group (0 to 7) is typed right, by its own check character. */
export function isGroupRight(group: number, text: string): boolean {
  const typed = normaliseCodeText(text);
  return typed.length === DATA_PER_GROUP + 1 && checkCharacter(group, typed.slice(0, DATA_PER_GROUP)) === typed.charAt(DATA_PER_GROUP);
}

/** Of a code that is still being typed: the groups (0 to 7) that are whole and can't be right. */
export function mistypedGroups(text: string): number[] {
  const groups = normaliseCodeText(text).match(/.{1,5}/g) ?? [];
  return groups.flatMap((group, i) => (group.length > DATA_PER_GROUP && !isGroupRight(i, group) ? [i] : []));
}

export type ParsedCode = { readonly secret: Buffer } | { readonly wrongGroups: readonly number[] };

/** The 20 secret bytes, or which groups (0 to 7) are mistyped or missing. */
export function parseRecoveryCode(text: string): ParsedCode {
  const typed = normaliseCodeText(text);
  const groups = Array.from({ length: CODE_GROUPS }, (_, group) => typed.slice(group * 5, group * 5 + 5));
  const wrongGroups = groups.flatMap((group, index) => (isGroupRight(index, group) ? [] : [index]));
  if (wrongGroups.length > 0 || typed.length !== CODE_GROUPS * 5) return { wrongGroups: wrongGroups.length > 0 ? wrongGroups : [CODE_GROUPS - 1] };
  let bits = 0n;
  for (const character of groups.map((group) => group.slice(0, DATA_PER_GROUP)).join("")) bits = (bits << 5n) | BigInt(ALPHABET.indexOf(character));
  return { secret: Buffer.from(bits.toString(16).padStart(CODE_BYTES * 2, "0"), "hex") };
}
