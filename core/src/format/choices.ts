/** What is chosen among, and how much of it, as data. Pure: the pages read it too. */

/** In view at its path; under a random name beside it; in a held area of the same file system. */
export const VISIBILITIES = ["view", "hidden", "tucked"] as const;
export type Visibility = (typeof VISIBILITIES)[number];

/**
 * What the owner is asked about before anything else happens with a sealed folder, each by itself: nobody known stands
 * behind it; it is in an older state than Eremos knows; another state of the same number, or one that does not come
 * from the known one, is in its place; a newer one is on its way here; some of its files are damaged; its password takes
 * more work than the owner's.
 */
export const CONSENTS = ["unvouched", "rolled-back", "forked", "arriving", "files-damaged", "costly"] as const;
export type Consent = (typeof CONSENTS)[number];

/** So many shares open, and so many there are. */
export const LEAST_THRESHOLD = 2;
export const MOST_KEYHOLDERS = 15;

/** The kinds of somebody who could get at a folder. */
export const REACH_KINDS = [
  "keyboard",
  "keyboard-hidden-shown",
  "account",
  "administrator",
  "disk",
  "provider",
] as const;
export type ReachKind = (typeof REACH_KINDS)[number];

/** Of what kind a trace of a folder is, elsewhere than in it. */
export const TRACE_KINDS = [
  "recent",
  "thumbnails",
  "trash",
  "bookmarks",
  "metadata",
  "indexes",
  "shell",
  "editors",
  "office",
  "temporary",
  "copies",
  "leftovers",
  "snapshots",
  "programs",
  "exports",
] as const;
/** Those that Eremos may clear by itself: they surely belong to the folder, and nobody needs them. */
export const CLEARED_BY_ITSELF = ["recent", "thumbnails", "trash", "bookmarks", "shell", "editors", "office"] as const;
export type TraceKind = (typeof TRACE_KINDS)[number];

/** What a trace gives away. */
export const TRACE_GIVES = ["name", "picture", "contents"] as const;
export type TraceGives = (typeof TRACE_GIVES)[number];
