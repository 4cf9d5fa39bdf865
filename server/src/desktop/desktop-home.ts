import * as os from "node:os";
import { randomInt } from "node:crypto";
import { DataDirectory } from "../data-directory";
import { OWN_PORTS, type Settings } from "../settings";
import type { DesktopHome } from "./desktop";
import { installationOf } from "./installation";
import { hasUserManager } from "./user-units";

/** What Eremos is to be told again whenever the desktop starts it. */
const KEPT = ["EREMOS_DATA", "EREMOS_PORT", "EREMOS_PLACES", "EREMOS_SYNCED", "EREMOS_MOUNTS"] as const;

/** Where this account's desktop looks, and how it is to start Eremos. */
export function desktopHomeOf(settings: Settings, environment = process.env): DesktopHome {
  const { home, configHome, dataHome, program } = settings;
  const { username, uid } = os.userInfo();
  const { command, kind } = installationOf(program);
  return {
    home,
    account: username,
    uid,
    dataHome,
    configHome,
    command,
    isSystemWide: kind === "system",
    environment: Object.fromEntries(
      KEPT.flatMap((name) => {
        const value = environment[name];
        return value ? [[name, value]] : [];
      }),
    ),
    userManager: hasUserManager(environment) ? { port: portToHold(settings) } : null,
  };
}

/** The port that a socket unit holds; null where it is to be another one at each start. */
function portToHold({ port, plainAddress, dataDirectory }: Settings): number | null {
  if (plainAddress || port === 0) return null;
  if (port !== null) return port;
  const data = DataDirectory.open(dataDirectory);
  const kept = data.keptPort() ?? randomInt(...OWN_PORTS);
  data.keepPort(kept);
  return kept;
}
