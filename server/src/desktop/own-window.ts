import { execFile, spawn } from "node:child_process";
import * as path from "node:path";
import { fileAddress, readPlanted } from "@eremos/core";

/**
 * Some browsers show one page in a window of its own, without tabs and the bar of addresses. Which one its owner uses is
 * asked of the desktop. Sources: xdg-settings(1); freedesktop.org Desktop Entry Specification, "Exec"; the browsers'
 * switch `--app`.
 */
const HAVE_WINDOWS = /chrom/i;
const ANSWER_MS = 5000;
const MOST_ENTRY_BYTES = 256 * 1024;

type Environment = Readonly<Record<string, string | undefined>>;

/** The browser that its owner uses, where it has such windows; null: it has none, or there is no screen. */
async function browserWithWindows(environment: Environment): Promise<string | null> {
  if (!environment["DISPLAY"] && !environment["WAYLAND_DISPLAY"]) return null;
  const id = await new Promise<string>((resolve) =>
    execFile("xdg-settings", ["get", "default-web-browser"], { timeout: ANSWER_MS }, (error, answer) =>
      resolve(error ? "" : answer.trim()),
    ),
  );
  if (!/^[\w.-]+\.desktop$/.test(id)) return null;
  const exec = /^Exec=(?:"([^"]+)"|(\S+))/m.exec(entryOf(id, environment) ?? "");
  const program = exec?.[1] ?? exec?.[2] ?? "";
  return HAVE_WINDOWS.test(path.basename(program)) ? program : null;
}

function entryOf(id: string, environment: Environment): string | null {
  const own = environment["XDG_DATA_HOME"] || path.join(environment["HOME"] ?? "/nowhere", ".local", "share");
  const shared = (environment["XDG_DATA_DIRS"] || "/usr/local/share:/usr/share").split(":");
  for (const directory of [own, ...shared]) {
    const bytes = path.isAbsolute(directory)
      ? readPlanted(path.join(directory, "applications", id), MOST_ENTRY_BYTES)
      : null;
    if (bytes) return bytes.toString("utf8");
  }
  return null;
}

/** @returns whether a browser that has such windows was begun */
export async function showInOwnWindow(file: string, environment: Environment = process.env): Promise<boolean> {
  const browser = await browserWithWindows(environment);
  if (browser === null) return false;
  return new Promise((resolve) => {
    const begun = spawn(browser, [`--app=${fileAddress(Buffer.from(file))}`], { detached: true, stdio: "ignore" });
    begun.once("error", () => resolve(false));
    begun.once("spawn", () => {
      begun.unref();
      resolve(true);
    });
  });
}
