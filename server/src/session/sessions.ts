import { equalBytes, randomBytes, sha256, toBase64 } from "@eremos/core";
import { Since } from "../steady-clock";

/**
 * A signed-in browser is its cookie together with a token of the tab: cookies are shared by all ports of this computer,
 * so the cookie alone proves nothing. Only digests are kept.
 */
export class Sessions {
  private readonly sessions: { readonly cookie: Buffer; readonly tab: Buffer }[] = [];

  /** How long nobody has touched the page. */
  untouched = new Since();

  touch(): void {
    this.untouched = new Since();
  }

  create(): { readonly cookie: string; readonly tab: string } {
    const cookie = toBase64(randomBytes(32));
    const tab = toBase64(randomBytes(32));
    this.touch();
    this.sessions.push({ cookie: digest(cookie), tab: digest(tab) });
    return { cookie, tab };
  }

  has(cookie: string | undefined, tab: string | undefined): boolean {
    if (!cookie || !tab) return false;
    const [c, t] = [digest(cookie), digest(tab)];
    return this.sessions.some((session) => equalBytes(session.cookie, c) && equalBytes(session.tab, t));
  }

  hasCookie(cookie: string | undefined): boolean {
    if (!cookie) return false;
    const c = digest(cookie);
    return this.sessions.some((session) => equalBytes(session.cookie, c));
  }

  endAll(): void {
    this.sessions.length = 0;
  }
}

function digest(text: string): Buffer {
  return sha256(Buffer.from(text, "utf8"));
}
