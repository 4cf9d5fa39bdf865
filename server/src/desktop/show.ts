import * as fs from "node:fs";
import * as path from "node:path";
import { EremosError } from "@eremos/core";
import { type MessageBus, sessionBus } from "@homebridge/dbus-native";
import { said } from "@eremos/words/server/desktop";

/** How file managers are asked. Source: freedesktop.org File Manager D-Bus Interface. */
const MANAGER = "org.freedesktop.FileManager1";
const ANSWER_MS = 10_000;

/**
 * Shows what lies at a path in the file manager, chosen there. By the session's own bus: no name stands among the words
 * of a command line, which every account can read. @throws EremosError `unsupported` where none answers
 */
export async function showInFileManager(shown: Buffer): Promise<void> {
  const address = `file://${[...shown.toString("latin1")].map(escaped).join("")}`;
  const isShown = await new Promise<boolean>((resolve) => {
    const bus = sessionBusOrNull();
    if (!bus) return resolve(false);
    const end = (isDone: boolean): void => {
      clearTimeout(timer);
      bus.connection.stream.destroy();
      resolve(isDone);
    };
    const timer = setTimeout(() => end(false), ANSWER_MS);
    bus.connection.on("error", () => end(false)).on("end", () => end(false));
    bus.invoke(
      {
        destination: MANAGER,
        path: "/org/freedesktop/FileManager1",
        interface: MANAGER,
        member: "ShowItems",
        signature: "ass",
        body: [[address], ""],
      },
      (error: unknown) => end(!error),
    );
  });
  if (!isShown) throw new EremosError("unsupported", said("no-file-manager-answered"));
}

declare module "@homebridge/dbus-native" {
  /** Its own types leave it out. */
  export function sessionBus(options: { readonly busAddress: string }): MessageBus;
}

/** Where the desktop's session has its bus. Source: dbus-daemon(1), DBUS_SESSION_BUS_ADDRESS; systemd's user bus. */
function sessionBusOrNull(environment = process.env): MessageBus | null {
  const socket = path.join(environment["XDG_RUNTIME_DIR"] || "/nowhere", "bus");
  const busAddress = environment["DBUS_SESSION_BUS_ADDRESS"] || (fs.existsSync(socket) ? `unix:path=${socket}` : null);
  try {
    return busAddress === null ? null : sessionBus({ busAddress });
  } catch {
    return null;
  }
}

/** A byte of a path as it stands in an address. RFC 3986, section 2. */
function escaped(byte: string): string {
  return /[A-Za-z0-9\-_.~/]/.test(byte) ? byte : `%${byte.charCodeAt(0).toString(16).toUpperCase().padStart(2, "0")}`;
}
