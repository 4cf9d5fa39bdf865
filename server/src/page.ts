import type { FolderKind } from "./contract";
import { ITEM_BEGINS } from "./desktop/item-type";
import { say } from "@eremos/words/server/standing-pages";
/** A page that stands alone: no script, no link, nothing to type into. */
function standing(title: string, body: string): string {
  return `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'">
<title>${title}</title>
<style>
  body { margin: 0; min-height: 100vh; display: grid; place-items: center; background: #f7f3ea; color: #22252e; font: 17px/1.55 system-ui, sans-serif }
  main { max-width: 34rem; padding: 2rem }
  h1 { font-size: 1.6rem; line-height: 1.2; margin: 1rem 0 }
  code { white-space: nowrap }
  p.small { color: #6c6a66; font-size: .9rem }
  @media (prefers-color-scheme: dark) { body { background: #161a2c; color: #ece6d8 } p.small { color: #a9a598 } }
</style>
<main>
  <svg width="44" height="52" viewBox="0 0 44 52" aria-hidden="true"><path d="M6 50V22a16 16 0 0 1 32 0v28z" fill="#2f3b69"/></svg>
  <h1>${title}</h1>
${body}
</main>
</html>
`;
}

/** With the markup that the messages have. */
const HOW_TO_OPEN = say("how-to-open");

/**
 * Leads to the launcher: an address could be somebody else's by the time it is opened. The same page for all that is of
 * one kind; it tells nothing.
 */
export function lockedPage(kind: FolderKind, hasItem: boolean): Buffer {
  return Buffer.from(
    standing(
      say("this-is-locked", { kind }),
      `  <p>${say("still-in-here", { kind })}</p>
  <p>${hasItem ? say("by-the-item") : HOW_TO_OPEN}</p>
  <p>${say("without-eremos")}</p>
  <p class="small">${say("page-asks-for-nothing")}</p>`,
    ),
  );
}

/** What stands in an item, the same in all: by how it begins the desktop knows what it is. It tells nothing. */
export const LOCKED_ITEM = Buffer.from(`${ITEM_BEGINS}${say("tells-nothing")}\n`);

/** At every address that is not the one of this start. */
export const ELSEWHERE = standing(
  say("not-at-this-address"),
  `  <p>${say("fresh-address")}</p>
  <p>${HOW_TO_OPEN}</p>
  <p class="small">${say("type-no-password")}</p>`,
);
