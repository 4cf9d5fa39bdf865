import { spawnSync } from "node:child_process";

/** Ordinary accounts for tests that run as root; the system knows accounts by number, with or without a name. */
export const OWN = 4301;
export const OTHER = 4302;
export const ROOT = 0;

/** Does it with the owner's account, as its own process would; back as root afterwards, also where it is awaited. */
export async function asOwner<T>(work: () => Promise<T> | T): Promise<T> {
  process.setegid?.(OWN);
  process.seteuid?.(OWN);
  try {
    return await work();
  } finally {
    process.seteuid?.(0);
    process.setegid?.(0);
  }
}

/** A new process of an account. */
export function runAs(account: number, command: string): { readonly ok: boolean; readonly out: string } {
  const { status, stdout } = spawnSync("sh", ["-c", command], {
    uid: account,
    gid: account,
    cwd: "/",
    encoding: "utf8",
  });
  return { ok: status === 0, out: stdout };
}
