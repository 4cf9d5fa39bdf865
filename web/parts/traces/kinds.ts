import type { LockingRules, TraceKind } from "@eremos/server/contract";
import { say } from "@eremos/words/page/traces";

/** What each kind is called, and what it is. */
export const KIND_WORDS: Readonly<Record<TraceKind, { readonly name: string; readonly about: string }>> = {
  recent: { name: say("trace-recent"), about: say("about-recent") },
  thumbnails: { name: say("trace-thumbnails"), about: say("about-thumbnails") },
  trash: { name: say("trace-trash"), about: say("about-trash") },
  bookmarks: { name: say("trace-bookmarks"), about: say("about-bookmarks") },
  editors: { name: say("trace-editors"), about: say("about-editors") },
  office: { name: say("trace-office"), about: say("about-office") },
  metadata: { name: say("trace-metadata"), about: say("about-metadata") },
  indexes: { name: say("trace-search"), about: say("about-search") },
  shell: { name: say("trace-shell"), about: say("about-shell") },
  temporary: { name: say("trace-temporary"), about: say("about-temporary") },
  exports: { name: say("trace-exports"), about: say("about-exports") },
  copies: { name: say("trace-copies"), about: say("about-copies") },
  leftovers: { name: say("trace-leftovers"), about: say("about-leftovers") },
  snapshots: { name: say("trace-snapshots"), about: say("about-snapshots") },
  programs: { name: say("trace-programs"), about: say("about-programs") },
};

export const KINDS = Object.keys(KIND_WORDS) as readonly TraceKind[];

export type ClearedKind = LockingRules["clears"][number];
const CLEARED: Readonly<Record<ClearedKind, true>> = {
  recent: true,
  thumbnails: true,
  trash: true,
  bookmarks: true,
  shell: true,
  editors: true,
  office: true,
};

/** Those that can go by themselves. */
export const CLEARED_KINDS = Object.keys(CLEARED) as readonly ClearedKind[];
