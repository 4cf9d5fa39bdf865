import { randomBytes } from "../../crypto/bytes";
import { formatGroups, isGroupOf, mistypedGroupsOf, parseGroups } from "./code-groups";

/** The recovery code: 160 random bits in 8 groups of 5 characters. FORMAT.md §3.3. */
const CODE_BYTES = 20;
export const CODE_GROUPS = 8;

export function newRecoveryCode(): string {
  return formatRecoveryCode(randomBytes(CODE_BYTES));
}

export function formatRecoveryCode(secret: Uint8Array): string {
  if (secret.length !== CODE_BYTES) throw new RangeError(`secret must be ${CODE_BYTES} bytes, got ${secret.length}`);
  return formatGroups("code", secret);
}

/** Whether one group (0 to 7) is typed right, by its own check character. */
export function isGroupRight(group: number, text: string): boolean {
  return isGroupOf("code", group, text);
}

/** Of a code that is still being typed: the groups (0 to 7) that are whole and can't be right. */
export function mistypedGroups(text: string): number[] {
  return mistypedGroupsOf("code", text);
}

export type ParsedCode = { readonly secret: Buffer } | { readonly wrongGroups: readonly number[] };

/** The 20 secret bytes, or which groups (0 to 7) are mistyped or missing. */
export function parseRecoveryCode(text: string): ParsedCode {
  const parsed = parseGroups("code", CODE_BYTES, text);
  return "bytes" in parsed ? { secret: parsed.bytes } : parsed;
}
