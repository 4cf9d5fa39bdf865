/** What the file type of an item is called. Source: RFC 6838, section 3.2. */
export const ITEM_TYPE = "application/vnd.eremos.item";
/** How every item begins: what follows tells nothing either. */
export const ITEM_BEGINS = "Eremos item 1\n";
/** By which name the desktop's bus knows Eremos: that of its address, turned around. */
export const APPLICATION = "localhost.eremos.Eremos";
/** How Eremos looks among other applications: a doorway. The page's own is the same (web/app/icon.svg). */
export const ICON =
  '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 32 32"><rect width="32" height="32" rx="7" fill="#f7f3ea"/><path d="M9 27V15a7 7 0 0 1 14 0v12z" fill="#2f3b69"/></svg>';

/** What a file manager draws on a folder that is locked and stands in view. */
export const LOCKED_EMBLEM = {
  name: "eremos-locked",
  /** As themes know it. */
  icon: "emblem-eremos-locked",
  picture:
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 16 16"><rect x="1" y="1" width="14" height="14" rx="4" fill="#f7f3ea" stroke="#ddd2bc"/><path d="M4.5 13V7.5a3.5 3.5 0 0 1 7 0V13z" fill="#2f3b69"/></svg>',
} as const;
