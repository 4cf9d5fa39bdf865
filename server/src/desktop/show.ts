import { spawn } from "node:child_process";
import { EremosError, fileAddress } from "@eremos/core";
import { sessionBusOrNull } from "./session-bus";
import { said } from "@eremos/words/server/desktop";

/** How file managers are asked. Source: freedesktop.org File Manager D-Bus Interface. */
const MANAGER = "org.freedesktop.FileManager1";
const ANSWER_MS = 10_000;

/**
 * Shows what lies at a path in the file manager, chosen there; or, of a folder, what is in it. By the session's own bus: no name stands among the words
 * of a command line, which every account can read. @throws EremosError `unsupported` where none answers
 */
export async function showInFileManager(
  shown: Buffer,
  member: "ShowItems" | "ShowFolders" = "ShowItems",
): Promise<void> {
  const address = fileAddress(shown);
  const bus = await sessionBusOrNull();
  const isShown = await new Promise<boolean>((resolve) => {
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
        member,
        signature: "ass",
        body: [[address], ""],
      },
      (error: unknown) => end(!error),
    );
  });
  if (!isShown) throw new EremosError("unsupported", said("no-file-manager-answered"));
}

/**
 * Opens a file in the program that the desktop has for it. The path is a word of that program's command line, as of any
 * file that is opened on a desktop. @throws EremosError `unsupported` where nothing can start programs
 */
export async function openInProgram(file: Buffer): Promise<void> {
  if (!(await openByDesktop(fileAddress(file))))
    throw new EremosError("unsupported", said("no-program-could-be-started"));
}

/** @returns whether there is something that starts programs */
export function openByDesktop(address: string): Promise<boolean> {
  return new Promise((resolve) => {
    const opener = spawn("xdg-open", [address], { detached: true, stdio: "ignore" });
    opener.once("error", () => resolve(false));
    opener.once("spawn", () => {
      opener.unref();
      resolve(true);
    });
  });
}
