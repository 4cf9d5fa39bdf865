/** Installed and at home in the desktop: sockets that are given, copies before an upgrade, what a screen shows. */
const UPGRADE = "server/test/parts/upgrade.test.ts";
const SERVICE = "cli/test/service.test.ts";
const NOTICES = "server/test/parts/notices.test.ts";

export const INSTALLING = [
  {
    name: "sockets that other computers reach are served",
    file: "core/src/platform/linux/ports.ts",
    line: "return address.subarray(from, to).equals(own.subarray(from, to)) ? { fd, port } : null;",
    becomes: "return own.length > to - from ? { fd, port } : null;",
    test: SERVICE,
    title: "serves nothing at sockets that other computers could reach",
  },
  {
    name: "data of a newer Eremos is opened",
    file: "server/src/database/upgrade.ts",
    line: "  if (stepsIn(data.databasePath) > known)",
    becomes: "  if (stepsIn(data.databasePath) < 0 * known)",
    test: UPGRADE,
    title: "data that a newer Eremos has brought further",
  },
  {
    name: "nothing is copied before an upgrade",
    file: "server/src/database/upgrade.ts",
    line: "    if (before !== null) copy(data, before, days);\n",
    becomes: "",
    test: UPGRADE,
    title: "copies the owner's record",
  },
  {
    name: "a copy that an earlier master password opens stays",
    file: "server/src/data-directory.ts",
    line: "      fs.rmSync(this.upgrades, { recursive: true, force: true });",
    becomes: "      fs.existsSync(this.upgrades);",
    test: UPGRADE,
    title: "leaves no copy that an earlier master password opens",
  },
  {
    name: "a copy before an upgrade stays for good",
    file: "server/src/database/upgrade.ts",
    line: "    if (days.peek() - since >= KEPT_DAYS) fs.rmSync",
    becomes: "    if (days.peek() - since >= KEPT_DAYS * 1000) fs.rmSync",
    test: UPGRADE,
    title: "removes the copy when its thirty days have been counted",
  },
  {
    name: "a desktop that does not tell whether the screen is locked is taken for an open one",
    file: "server/src/notices/notices.ts",
    line: '(names === "unlocked" && (await this.desktop.isScreenLocked()) === false)',
    becomes: '(names === "unlocked" && (await this.desktop.isScreenLocked()) !== null)',
    test: NOTICES,
    title: "unlocked, with the screen locked",
  },
  {
    name: "a notice that is shown keeps its name over a locked screen",
    file: "server/src/notices/notices.ts",
    line: "if (told.name !== null) await this.desktop.show(noticeOf(told, false));",
    becomes: "if (told.name !== null) await this.desktop.show(noticeOf(told, true));",
    test: NOTICES,
    title: "are taken away when the screen is locked",
  },
  {
    name: "quiet hours are not kept",
    file: "server/src/notices/notices.ts",
    line: "    if (!quiet) return false;",
    becomes: "    if (!quiet || quiet) return false;",
    test: NOTICES,
    title: "nor anything in quiet hours",
  },
  {
    name: "a session spins over what it can't say to a terminal that is gone",
    file: "server/src/end-signals.ts",
    line: "export function onEndSignals(end: () => void): () => void {\n  goOnWithoutTerminal();",
    becomes: "export function onEndSignals(end: () => void): () => void {",
    test: "cli/test/sessions.test.ts",
    title: "what can't be said, since the terminal is gone",
  },
];
