/**
 * What stands readable in a locked folder that stays in view, the same in every language: the page that says what this
 * is, the small file by which a computer with Eremos opens it, and the desktop's own file for another icon. FORMAT.md
 * §1.
 */
export const PAGE = "Locked with Eremos.html";
export const ITEM = "Open with Eremos";
export const ICON = ".directory";

export const SIGN_NAMES: ReadonlySet<string> = new Set([PAGE, ITEM, ICON]);
