import type { TraceKind } from "@eremos/server/contract";
import { say } from "@eremos/words/page/traces";

/** What each kind is called, and what it is. */
export const KIND_WORDS: Readonly<Record<TraceKind, { readonly name: string; readonly about: string }>> = {
  recent: { name: say("trace-recent"), about: say("about-recent") },
  thumbnails: { name: say("trace-thumbnails"), about: say("about-thumbnails") },
  trash: { name: say("trace-trash"), about: say("about-trash") },
  bookmarks: { name: say("trace-bookmarks"), about: say("about-bookmarks") },
  editors: { name: say("trace-editors"), about: say("about-editors") },
  office: { name: say("trace-office"), about: say("about-office") },
  shell: { name: say("trace-shell"), about: say("about-shell") },
};

export const KINDS = Object.keys(KIND_WORDS) as readonly TraceKind[];
