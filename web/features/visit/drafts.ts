/** What was typed and not saved yet, while this page lives: a visit may end meanwhile, and the next one finds it. */
export interface Draft {
  readonly text: string;
  /** Of the file as it was when the typing began; null: it was not there. */
  readonly etag: string | null;
}

const drafts = new Map<string, Draft>();

const keyOf = (folder: string, href: string): string => `${folder} ${href}`;

export function draftOf(folder: string, href: string): Draft | null {
  return drafts.get(keyOf(folder, href)) ?? null;
}

export function keepDraft(folder: string, href: string, draft: Draft): void {
  drafts.set(keyOf(folder, href), draft);
}

export function dropDraft(folder: string, href: string): void {
  drafts.delete(keyOf(folder, href));
}

/** Whether anything typed is not saved. */
export function hasDrafts(): boolean {
  return drafts.size > 0;
}
