import type { VisitView } from "../contract";

/** The command by which a Linux desktop shows the visit as a drive; the password is asked for. Source: gio(1), URIs of the WebDAV backend. */
export function mountCommandOf({ url, user }: Pick<VisitView, "url" | "user">): string {
  return `gio mount ${addressOf({ url, user })}`;
}

export function addressOf({ url, user }: Pick<VisitView, "url" | "user">): string {
  return url.replace("http://", `dav://${user}@`);
}
