import { say } from "@eremos/words/core/format";
/**
 * Bytes as groups of five characters (Crockford's base 32), for typing from paper. The last character of a group checks
 * the four before it and the group's place: one wrong character, two neighbours exchanged, two groups exchanged, and a
 * share typed for a code are always known. FORMAT.md §3.3.
 */
const ALPHABET = "0123456789ABCDEFGHJKMNPQRSTVWXYZ";
const DATA_PER_GROUP = 4;
export const GROUP_LENGTH = DATA_PER_GROUP + 1;

/** The recovery code and the keyholders' shares are checked differently, so that one can't be taken for the other. */
export type CodeKind = "code" | "share";

export function formatGroups(kind: CodeKind, bytes: Uint8Array): string {
  let bits = BigInt(`0x${Buffer.from(bytes).toString("hex")}`);
  const characters: string[] = [];
  for (let i = 0; i < (bytes.length * 8) / 5; i++) {
    characters.unshift(characterAt(Number(bits & 31n)));
    bits >>= 5n;
  }
  const groups: string[] = [];
  for (let group = 0; group < characters.length / DATA_PER_GROUP; group++) {
    const data = characters.slice(group * DATA_PER_GROUP, (group + 1) * DATA_PER_GROUP).join("");
    groups.push(data + checkCharacter(kind, group, data));
  }
  return groups.join("-");
}

function characterAt(value: number): string {
  return ALPHABET.charAt(value);
}

/** What a group's weighted sum has to be: another one for each group of each kind (at most 16 groups). */
function sumOf(kind: CodeKind, group: number): number {
  return (kind === "code" ? 0 : 16) + group;
}

/** Times x in GF(2⁵), polynomial x⁵ + x² + 1. */
function timesX(value: number): number {
  return value & 16 ? ((value << 1) ^ 0b100101) & 31 : value << 1;
}

/**
 * The value e for which d₁x⁴ + d₂x³ + d₃x² + d₄x + e is the group's sum; since the weights differ, no single error and
 * no exchange of neighbours keeps it.
 */
function checkCharacter(kind: CodeKind, group: number, data: string): string {
  let sum = 0;
  for (const character of data) sum = timesX(sum ^ ALPHABET.indexOf(character));
  return characterAt(sum ^ sumOf(kind, group));
}

/**
 * Upper case, with the letters people confuse (I, L, O) read as the digits they stand for; everything else is dropped.
 */
export function normaliseCodeText(text: string): string {
  return text
    .toUpperCase()
    .replace(/[IL]/g, "1")
    .replace(/O/g, "0")
    .replace(/[^0-9A-HJKMNP-TV-Z]/g, "");
}

/** Whether one group (counted from 0) is typed right, by its own check character. */
export function isGroupOf(kind: CodeKind, group: number, text: string): boolean {
  const typed = normaliseCodeText(text);
  return (
    typed.length === GROUP_LENGTH &&
    checkCharacter(kind, group, typed.slice(0, DATA_PER_GROUP)) === typed.charAt(DATA_PER_GROUP)
  );
}

/** Of something that is still being typed: the groups (counted from 0) that are whole and can't be right. */
export function mistypedGroupsOf(kind: CodeKind, text: string): number[] {
  const groups = normaliseCodeText(text).match(/.{1,5}/g) ?? [];
  return groups.flatMap((group, i) => (group.length === GROUP_LENGTH && !isGroupOf(kind, i, group) ? [i] : []));
}

export type ParsedGroups = { readonly bytes: Buffer } | { readonly wrongGroups: readonly number[] };

/** The bytes, or which groups are mistyped or missing. */
export function parseGroups(kind: CodeKind, bytes: number, text: string): ParsedGroups {
  const count = (bytes * 8) / (5 * DATA_PER_GROUP);
  const typed = normaliseCodeText(text);
  const groups = Array.from({ length: count }, (_, group) =>
    typed.slice(group * GROUP_LENGTH, (group + 1) * GROUP_LENGTH),
  );
  const wrongGroups = groups.flatMap((group, index) => (isGroupOf(kind, index, group) ? [] : [index]));
  if (wrongGroups.length > 0 || typed.length !== count * GROUP_LENGTH)
    return { wrongGroups: wrongGroups.length > 0 ? wrongGroups : [count - 1] };
  let bits = 0n;
  for (const character of groups.map((group) => group.slice(0, DATA_PER_GROUP)).join(""))
    bits = (bits << 5n) | BigInt(ALPHABET.indexOf(character));
  return { bytes: Buffer.from(bits.toString(16).padStart(bytes * 2, "0"), "hex") };
}

/** "group 3", "groups 1, 2", counted from 1. */
export function nameGroups(groups: readonly number[]): string {
  const named = groups.map((group) => String(group + 1));
  return named.length === 1 ? say("group", { named: named.join("") }) : say("groups", { named: named.join(", ") });
}
