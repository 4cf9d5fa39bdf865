import { posix as path } from "node:path";
import type { Bars, Level } from "../contract";
import {
  type Desktop,
  type DesktopFile,
  type DesktopHome,
  type DesktopPart,
  MARK,
  type SystemCommand,
} from "./desktop";
import { say } from "@eremos/words/server/desktop";

/**
 * Not yet proven on the real system: a command file, a launch agent, quick actions, the hidden flag and access lists by
 * the system's own commands.
 */
export const macos: Desktop = {
  isProven: false,
  opensItems: false,
  filesOf,
  commandsOf,
  refreshing: () => [],
  hiding,
  barring,
};

const AGENT = "local.eremos";
const VERBS = [
  { name: say("lock-with-eremos"), word: "lock" },
  { name: say("open-in-eremos"), word: "page" },
] as const;

function filesOf(part: DesktopPart, home: DesktopHome): readonly DesktopFile[] {
  switch (part) {
    case "applications":
      return [
        {
          path: path.join(home.home, "Applications", "Eremos.command"),
          mode: 0o755,
          content: `#!/bin/sh\n# ${MARK}\nexec ${shellCommand(home)} page\n`,
        },
      ];
    case "start":
      return [{ path: agentFile(home), mode: 0o644, content: agent(home) }];
    case "menu":
      return VERBS.flatMap(({ name, word }) => quickAction(home, name, word));
    case "marks":
      return [];
  }
}

function agentFile({ home }: DesktopHome): string {
  return path.join(home, "Library", "LaunchAgents", `${AGENT}.plist`);
}

function commandsOf(part: DesktopPart, on: boolean, home: DesktopHome): readonly SystemCommand[] {
  const launchctl = (...words: string[]): SystemCommand => ({ program: "launchctl", words });
  if (part === "start")
    return [
      on
        ? launchctl("bootstrap", `gui/${home.uid}`, agentFile(home))
        : launchctl("bootout", `gui/${home.uid}/${AGENT}`),
    ];
  // The menu is built from what lies in the services directory.
  return part === "menu" ? [{ program: "/System/Library/CoreServices/pbs", words: ["-flush"] }] : [];
}

function shellWord(word: string): string {
  return `'${word.replaceAll("'", "'\\''")}'`;
}

function shellCommand({ command, environment }: DesktopHome): string {
  return [
    "env",
    ...Object.entries(environment).map(([name, value]) => `${name}=${shellWord(value)}`),
    ...command.map(shellWord),
  ].join(" ");
}

type Plist = string | boolean | readonly Plist[] | { readonly [key: string]: Plist };

function xml(text: string): string {
  return text.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll(">", "&gt;");
}

function plist(value: Plist): string {
  if (typeof value === "string") return `<string>${xml(value)}</string>`;
  if (typeof value === "boolean") return value ? "<true/>" : "<false/>";
  if (isList(value)) return `<array>${value.map(plist).join("")}</array>`;
  return `<dict>${Object.entries(value)
    .map(([key, item]) => `<key>${xml(key)}</key>${plist(item)}`)
    .join("")}</dict>`;
}

function isList(value: Exclude<Plist, string | boolean>): value is readonly Plist[] {
  return Array.isArray(value);
}

function document(value: Plist): string {
  return `<?xml version="1.0" encoding="UTF-8"?>\n<!-- ${MARK} -->\n<plist version="1.0">${plist(value)}</plist>\n`;
}

function agent({ command, environment }: DesktopHome): string {
  return document({
    Label: AGENT,
    ProgramArguments: [...command, "serve"],
    EnvironmentVariables: environment,
    RunAtLoad: true,
  });
}

/** A workflow that hands the selected paths to a shell script, one by one. */
function quickAction(home: DesktopHome, name: string, word: string): readonly DesktopFile[] {
  const contents = path.join(home.home, "Library", "Services", `${name}.workflow`, "Contents");
  const script = `for path in "$@"; do ${shellCommand(home)} ${word} -- "$path"; done`;
  return [
    {
      path: path.join(contents, "Info.plist"),
      mode: 0o644,
      content: document({
        NSServices: [
          { NSMenuItem: { default: name }, NSMessage: "runWorkflowAsService", NSSendFileTypes: ["public.item"] },
        ],
      }),
    },
    {
      path: path.join(contents, "document.wflow"),
      mode: 0o644,
      content: document({
        actions: [
          {
            action: {
              ActionBundlePath: "/System/Library/Automator/Run Shell Script.action",
              ActionParameters: { COMMAND_STRING: script, inputMethod: "1", shell: "/bin/sh" },
            },
          },
        ],
        workflowMetaData: {
          serviceInputTypeIdentifier: "com.apple.Automator.fileSystemObject",
          workflowTypeIdentifier: "com.apple.Automator.servicesMenu",
        },
      }),
    },
  ];
}

function hiding(target: string, on: boolean): readonly SystemCommand[] {
  return [{ program: "chflags", words: ["-h", on ? "hidden" : "nohidden", target] }];
}

/** What somebody may no longer do at each level. Source: chmod(1), access control lists. */
const DENIED: Readonly<Record<Level, string | null>> = {
  nothing: "list,search,read,execute,write,append,add_file,add_subdirectory,delete,delete_child,readattr,readextattr",
  list: "read,execute,write,append,add_file,add_subdirectory,delete,delete_child",
  read: "write,append,add_file,add_subdirectory,delete,delete_child",
  change: "add_file,add_subdirectory,delete,delete_child",
  everything: null,
};

function barring(target: string, bars: Bars | null, saved: string, { account }: DesktopHome): readonly SystemCommand[] {
  if (bars === null)
    return [
      { program: "chmod", words: ["-R", "-N", target] },
      { program: "sh", words: ["-c", '[ -s "$1" ] && chmod -R -E "$2" < "$1"; :', "restore", saved, target] },
    ];
  const deny = (who: string, level: Level): SystemCommand[] =>
    DENIED[level] === null ? [] : [{ program: "chmod", words: ["-R", "+a", `${who} deny ${DENIED[level]}`, target] }];
  // The account's own bars come last, so that it may still set the others'.
  return [
    { program: "sh", words: ["-c", 'ls -led "$1" | tail -n +2 | sed "s/^ *[0-9]*: //" > "$2"', "save", target, saved] },
    ...deny("group:everyone", bars.others),
    ...deny(`user:${account}`, bars.own),
  ];
}
