import * as fs from "node:fs";
import type { AccountLists } from "../port";

/** Sources of accounts that are files of this computer, or made up by it. Source: nsswitch.conf(5). */
const LOCAL_SOURCES = new Set(["files", "compat", "systemd", "altfiles", "db"]);

/** Who has an account here, by the system's own lists. Source: passwd(5), group(5). */
export function accountLists(): AccountLists {
  const groups = linesOf("/etc/group").flatMap(([name = "", , gid = "", members = ""]) =>
    /^\d+$/.test(gid) ? [{ name, gid: Number(gid), members: members.split(",") }] : [],
  );
  const accounts = linesOf("/etc/passwd").flatMap(([name = "", , uid = "", gid = ""]) => {
    if (!/^\d+$/.test(uid) || !/^\d+$/.test(gid)) return [];
    return [
      {
        name,
        uid: Number(uid),
        gids: [Number(gid), ...groups.filter(({ members }) => members.includes(name)).map((group) => group.gid)],
      },
    ];
  });
  return { accounts, groupNames: new Map(groups.map(({ gid, name }) => [gid, name])), isPartial: hasOtherSources() };
}

function linesOf(file: string): string[][] {
  return textOf(file)
    .split("\n")
    .map((line) => line.split(":"));
}

function textOf(file: string): string {
  try {
    return fs.readFileSync(file, "utf8");
  } catch {
    return "";
  }
}

function hasOtherSources(): boolean {
  return textOf("/etc/nsswitch.conf")
    .split("\n")
    .some((line) => {
      const [, sources] = /^\s*(?:passwd|group|initgroups)\s*:([^#]*)/.exec(line) ?? [];
      return (sources ?? "")
        .replace(/\[[^\]]*\]/g, " ")
        .split(/\s+/)
        .some((source) => source !== "" && !LOCAL_SOURCES.has(source));
    });
}
