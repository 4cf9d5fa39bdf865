import { execFile, spawn } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { EremosError } from "@eremos/core";
import type { VisitView } from "../contract";
import { said } from "@eremos/words/server/visit";

/**
 * A visit's drive mounted for the person's desktop, by the desktop's own means. Source: gio(1), and the mounts that
 * GVfs describes in its data directory.
 */
const LONGEST_MS = 20_000;

/** Name in it, so that only the password is asked for. */
export function driveAddressOf({ url, user }: Pick<VisitView, "url" | "user">): string {
  return url.replace("http://", `dav://${user}@`);
}

/** The command by which a Linux desktop shows the visit as a drive; the password is asked for. */
export function mountCommandOf({ address }: Pick<VisitView, "address">): string {
  return `gio mount ${address}`;
}

/** A desktop session, and in it what mounts WebDAV. */
export function canMount(environment: NodeJS.ProcessEnv): boolean {
  const hasSession =
    (environment["DBUS_SESSION_BUS_ADDRESS"] ?? "") !== "" ||
    fs.existsSync(path.join(environment["XDG_RUNTIME_DIR"] ?? "/nowhere", "bus"));
  const data = (environment["XDG_DATA_DIRS"] || "/usr/local/share:/usr/share").split(":");
  const isIn = (directories: readonly string[], name: string): boolean =>
    directories.some((directory) => directory !== "" && fs.existsSync(path.join(directory, name)));
  return (
    process.platform === "linux" &&
    hasSession &&
    isIn((environment["PATH"] ?? "").split(":"), "gio") &&
    isIn(data, "gvfs/mounts/dav.mount")
  );
}

/** @throws EremosError `io` with what the desktop said */
export async function mount({ address, password }: VisitView): Promise<void> {
  const failure = await gio(["mount", address], `${password}\n`);
  if (failure !== null) throw new EremosError("io", said("desktop-did-not-mount-it", { failure }));
}

/** In the file manager, where there is one. */
export function showMounted({ address }: Pick<VisitView, "address">): void {
  spawn("gio", ["open", address], { stdio: "ignore", detached: true })
    .on("error", () => undefined)
    .unref();
}

/**
 * Opens a file of a mounted drive in the program that the desktop has for it, which has the setting in its environment,
 * and goes on for as long as it likes. @throws EremosError `unsupported` where there is none
 */
export async function openOnDrive(
  { address }: Pick<VisitView, "address">,
  href: string,
  setting: Readonly<Record<string, string>>,
): Promise<void> {
  // What a program writes out goes nowhere: this one may end before it does.
  const opener = spawn("gio", ["open", `${address.replace(/\/$/, "")}${href}`], {
    stdio: "ignore",
    detached: true,
    env: { ...process.env, ...setting },
  });
  const status = await new Promise<number | null>((resolve) =>
    opener.once("error", () => resolve(null)).once("exit", resolve),
  );
  if (status !== 0) throw new EremosError("unsupported", said("no-program-opened-it"));
}

/** After the visit; where it was not mounted, or not any more, nothing happens. */
export async function unmount({ address }: Pick<VisitView, "address">): Promise<void> {
  await gio(["mount", "--unmount", "--force", address], "");
}

/** Null where it worked, else the last thing it said. */
function gio(args: readonly string[], input: string): Promise<string | null> {
  return new Promise((resolve) => {
    const child = execFile(
      "gio",
      args,
      { timeout: LONGEST_MS, env: { ...process.env, LC_ALL: "C" } },
      (error, _stdout, stderr) => {
        resolve(error ? stderr.trim().split("\n").at(-1) || error.message : null);
      },
    );
    child.stdin?.on("error", () => undefined).end(input);
  });
}
