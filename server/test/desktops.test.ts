import { spawnSync } from "node:child_process";
import { describe, expect, it } from "vitest";
import { type DesktopHome, MARK } from "../src/desktop/desktop";
import { macos } from "../src/desktop/macos";
import { windows } from "../src/desktop/windows";

/** Other desktops, of which only what they are told can be tested here. */
const WINDOWS: DesktopHome = {
  home: "C:\\Users\\Ines V",
  dataHome: "C:\\Users\\Ines V\\AppData\\Local",
  configHome: "C:\\Users\\Ines V\\AppData\\Roaming",
  account: "BENCH\\ines",
  uid: -1,
  command: ["C:\\Program Files\\nodejs\\node.exe", "C:\\Eremos 100%\\cli\\bin\\eremos.mjs"],
  environment: { EREMOS_DATA: "D:\\50% mine" },
  isSystemWide: false,
  userManager: null,
};
const MAC: DesktopHome = {
  home: "/Users/ines",
  dataHome: "/Users/ines/Library/Application Support",
  configHome: "/Users/ines/.config",
  account: "ines",
  uid: 501,
  command: ["/usr/local/bin/node", "/Users/ines/it's here/cli/bin/eremos.mjs"],
  environment: { EREMOS_DATA: "/Volumes/A & B" },
  isSystemWide: false,
  userManager: null,
};
const words = (commands: readonly { readonly program: string; readonly words: readonly string[] }[]): string[][] =>
  commands.map(({ program, words: all }) => [program, ...all]);

describe("Windows", () => {
  it("is told by a registry file and commands of its own, with every name quoted for where it stands", () => {
    expect([windows.isProven, macos.isProven]).toEqual([false, false]);
    const [start] = windows.filesOf("start", WINDOWS);
    expect(start?.path).toBe(
      "C:\\Users\\Ines V\\AppData\\Roaming\\Microsoft\\Windows\\Start Menu\\Programs\\Startup\\Eremos.cmd",
    );
    expect(start?.content).toBe(
      `@echo off\r\nrem ${MARK}\r\nset "EREMOS_DATA=D:\\50%% mine"\r\nstart "" /b "C:\\Program Files\\nodejs\\node.exe" "C:\\Eremos 100%%\\cli\\bin\\eremos.mjs" serve\r\n`,
    );
    const [menu] = windows.filesOf("menu", WINDOWS);
    expect(menu?.content).toMatch(/^Windows Registry Editor Version 5\.00\r\n/);
    expect(menu?.content).toContain(
      '[HKEY_CURRENT_USER\\Software\\Classes\\Directory\\shell\\EremosLock\\command]\r\n@="\\"C:\\\\Program Files\\\\nodejs\\\\node.exe\\" \\"C:\\\\Eremos 100%\\\\cli\\\\bin\\\\eremos.mjs\\" lock -- \\"%1\\""\r\n',
    );
    expect(words(windows.commandsOf("menu", true, WINDOWS))).toEqual([
      ["reg.exe", "import", "C:\\Users\\Ines V\\AppData\\Local\\Eremos\\context-menu.reg"],
    ]);
    expect(words(windows.commandsOf("menu", false, WINDOWS))).toHaveLength(4);
    expect(words(windows.commandsOf("menu", false, WINDOWS))[0]).toEqual([
      "reg.exe",
      "delete",
      "HKEY_CURRENT_USER\\Software\\Classes\\Directory\\shell\\EremosLock",
      "/f",
    ]);
  });

  it("hides by attribute, and bars by access lists that are saved before and restored", () => {
    expect(words(windows.hiding("D:\\Payroll", true))).toEqual([["attrib.exe", "+h", "D:\\Payroll", "/l"]]);
    expect(words(windows.hiding("D:\\Payroll", false))).toEqual([["attrib.exe", "-h", "D:\\Payroll", "/l"]]);
    expect(words(windows.barring("D:\\Payroll", { others: "nothing", own: "read" }, "D:\\saved", WINDOWS))).toEqual([
      ["icacls.exe", "D:\\Payroll", "/save", "D:\\saved", "/t", "/q"],
      ["icacls.exe", "D:\\Payroll", "/inheritance:r", "/grant:r", "BENCH\\ines:(OI)(CI)RX", "/q"],
    ]);
    expect(words(windows.barring("D:\\Payroll", { others: "list", own: "nothing" }, "D:\\saved", WINDOWS))[1]).toEqual([
      "icacls.exe",
      "D:\\Payroll",
      "/inheritance:r",
      "/grant:r",
      "BENCH\\ines:(RC,WDAC)",
      "*S-1-1-0:(OI)(CI)(RD,REA,RA,RC,S)",
      "/q",
    ]);
    expect(words(windows.barring("D:\\Payroll", null, "D:\\saved", WINDOWS))).toEqual([
      ["icacls.exe", "D:\\", "/restore", "D:\\saved", "/q"],
    ]);
  });
});

describe("macOS", () => {
  it("is told by a launch agent and quick actions, well-formed, with names as they are", () => {
    const [agent] = macos.filesOf("start", MAC);
    expect(agent?.path).toBe("/Users/ines/Library/LaunchAgents/local.eremos.plist");
    expect(words(macos.commandsOf("start", true, MAC))).toEqual([["launchctl", "bootstrap", "gui/501", agent?.path]]);
    expect(words(macos.commandsOf("start", false, MAC))).toEqual([["launchctl", "bootout", "gui/501/local.eremos"]]);
    const files = [...macos.filesOf("menu", MAC), ...(agent ? [agent] : [])];
    expect(files.map(({ path }) => path.replace(/^.*Services\//, ""))).toContain(
      "Lock with Eremos.workflow/Contents/document.wflow",
    );
    const parsed = files.map(({ content }) =>
      spawnSync(
        "python3",
        ["-c", "import json,plistlib,sys; print(json.dumps(plistlib.loads(sys.stdin.buffer.read())))"],
        { input: content, encoding: "utf8" },
      ),
    );
    for (const { status, stderr } of parsed) expect([status, stderr]).toEqual([0, ""]);
    expect(JSON.parse(parsed.at(-1)?.stdout ?? "")).toEqual({
      Label: "local.eremos",
      ProgramArguments: [...MAC.command, "serve"],
      EnvironmentVariables: { EREMOS_DATA: "/Volumes/A & B" },
      RunAtLoad: true,
    });
    const script = JSON.parse(parsed[1]?.stdout ?? "") as {
      actions: { action: { ActionParameters: { COMMAND_STRING: string } } }[];
    };
    expect(script.actions[0]?.action.ActionParameters.COMMAND_STRING).toBe(
      `for path in "$@"; do env EREMOS_DATA='/Volumes/A & B' '/usr/local/bin/node' '/Users/ines/it'\\''s here/cli/bin/eremos.mjs' lock -- "$path"; done`,
    );
  });

  it("hides by flag, and bars by access lists", () => {
    expect(words(macos.hiding("/Users/ines/Payroll", true))).toEqual([
      ["chflags", "-h", "hidden", "/Users/ines/Payroll"],
    ]);
    const barred = words(macos.barring("/Users/ines/Payroll", { others: "nothing", own: "read" }, "/tmp/saved", MAC));
    expect(
      barred.slice(1).map(([program, recurse, add, rule]) => [program, recurse, add, rule?.split(" deny ")[0]]),
    ).toEqual([
      ["chmod", "-R", "+a", "group:everyone"],
      ["chmod", "-R", "+a", "user:ines"],
    ]);
    expect(
      words(macos.barring("/Users/ines/Payroll", { others: "everything", own: "everything" }, "/tmp/saved", MAC)),
    ).toHaveLength(1);
    expect(words(macos.barring("/Users/ines/Payroll", null, "/tmp/saved", MAC))[0]).toEqual([
      "chmod",
      "-R",
      "-N",
      "/Users/ines/Payroll",
    ]);
  });
});
