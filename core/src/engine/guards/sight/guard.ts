import type { Guard } from "../guard";
import type { GuardRecord } from "../../../format/guard-record";
import { unencrypted } from "../unencrypted/verbs";

/** Hidden only: nothing in it changes, and whoever finds it reads it. FORMAT.md §10. */
export const sight: Guard<GuardRecord> = unencrypted("sight");
