import * as fs from "node:fs";
import * as path from "node:path";
import { LOOPBACKS } from "@eremos/core";
import { type DesktopFile, type DesktopHome, MARK, type SystemCommand } from "./desktop";
import { say } from "@eremos/words/server/desktop";

/**
 * Eremos as a service of the account's own service manager: the port stays held while nothing runs, so that no other
 * account can take it between two starts. Sources: systemd.service(5), systemd.socket(5), systemd.exec(5).
 */
const SERVICE = "eremos.service";
const SOCKET = "eremos.socket";

/** A word of an Exec line or of an assignment. Source: systemd.syntax(7), "Quoting". */
function unitWord(word: string): string {
  const escaped = word.replaceAll("\\", "\\\\").replaceAll('"', '\\"').replaceAll("\n", "\\n");
  return `"${escaped.replaceAll("%", "%%").replaceAll("$", "$$$$")}"`;
}

/** In an assignment to Environment= a dollar sign stands for itself. */
function assignment(name: string, value: string): string {
  return `Environment=${unitWord(`${name}=${value}`).replaceAll("$$", "$")}`;
}

/**
 * What it is kept from is what breaks no promise: it may mount, open programs, see every drive, give back every right
 * of a file. It gets time to lock what lies open.
 */
export function userUnits({ configHome, command, environment }: DesktopHome, port: number | null): DesktopFile[] {
  const file = (name: string, lines: readonly string[]): DesktopFile => ({
    path: path.join(configHome, "systemd", "user", name),
    mode: 0o644,
    content: `# ${MARK}\n${lines.join("\n")}\n`,
  });
  const socket =
    port &&
    file(SOCKET, [
      "[Unit]",
      `Description=${say("holds-the-port")}`,
      "",
      "[Socket]",
      ...LOOPBACKS.map((host) => `ListenStream=${host.includes(":") ? `[${host}]` : host}:${port}`),
      "BindIPv6Only=ipv6-only",
      "",
      "[Install]",
      "WantedBy=sockets.target",
    ]);
  return [
    ...(socket ? [socket] : []),
    file(SERVICE, [
      "[Unit]",
      `Description=${say("locks-what-was-left-open")}`,
      // Where the port is somebody else's, it finds another one, as without a socket.
      ...(socket ? [`Wants=${SOCKET}`, `After=${SOCKET}`] : []),
      "",
      "[Service]",
      ...Object.entries(environment).map(([name, value]) => assignment(name, value)),
      `ExecStart=${[...command, "serve"].map(unitWord).join(" ")}`,
      "Restart=on-failure",
      "RestartSec=2",
      // Programs in which the owner opened a file are no part of it: none of them is killed with it.
      "KillMode=process",
      "TimeoutStopSec=40",
      "NoNewPrivileges=yes",
      "LimitCORE=0",
      "LockPersonality=yes",
      "RestrictRealtime=yes",
      "",
      "[Install]",
      "WantedBy=default.target",
    ]),
  ];
}

/** By which the service manager learns of them; they begin at the next log-in, since now one may be running already. */
export function unitCommands(on: boolean, port: number | null): readonly SystemCommand[] {
  const units = port === null ? [SERVICE] : [SOCKET, SERVICE];
  return on ? [LOOK_AGAIN, toManager("enable", ...units)] : [toManager("disable", ...units)];
}

/** So that it sees which units came or went. */
export const LOOK_AGAIN = toManager("daemon-reload");

/** Starts it now, as at a log-in; comes back at once. */
export const START_NOW = toManager("start", "--no-block", SERVICE);

function toManager(...words: string[]): SystemCommand {
  return { program: "systemctl", words: ["--user", ...words] };
}

/** Whether this account has a service manager of its own that runs. Source: sd_booted(3), of the account's. */
export function hasUserManager(environment: Readonly<Record<string, string | undefined>>): boolean {
  const runtime = environment["XDG_RUNTIME_DIR"];
  return runtime !== undefined && fs.existsSync(path.join(runtime, "systemd", "private"));
}
