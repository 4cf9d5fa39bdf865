import type { Guard } from "../guard";
import type { GuardRecord } from "../../../format/guard-record";
import { unencrypted } from "../unencrypted/verbs";

/** The system refuses: permissions are taken away, by rules for others and for this account. FORMAT.md §10.3. */
export const barred: Guard<GuardRecord> = unencrypted("barred");
