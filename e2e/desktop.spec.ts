import { type ChildProcess, spawn, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { type House, PASSWORD, expect, test } from "./house";

/** A screen that nobody sees, a session's bus, and the file manager on it: as they are on a person's desktop. */
class Desktop {
  private readonly programs: ChildProcess[] = [];
  private display = "";
  private bus = "";
  /** What the desktop was asked to show in a browser, or in a text's program. */
  readonly browsed: string;
  readonly read: string;

  constructor(private readonly house: House) {
    this.browsed = path.join(house.base, "browsed");
    this.read = path.join(house.base, "read");
  }

  private get environment(): Record<string, string> {
    return {
      HOME: this.house.base,
      XDG_DATA_HOME: path.join(this.house.base, "share"),
      XDG_RUNTIME_DIR: path.join(this.house.base, "run"),
      PATH: `${path.join(this.house.base, "bin")}:${process.env["PATH"] ?? ""}`,
      DISPLAY: this.display,
      DBUS_SESSION_BUS_ADDRESS: this.bus,
    };
  }

  /** Starts a program and returns the first line that it writes to the descriptor 3. */
  private begin(program: string, words: readonly string[]): Promise<string> {
    const child = spawn(program, words, {
      env: { ...process.env, ...this.environment },
      stdio: ["ignore", "ignore", "ignore", "pipe"],
    });
    this.programs.push(child);
    return new Promise((resolve, reject) => {
      child.once("error", reject);
      child.stdio[3]?.once("data", (line) => resolve(String(line).trim()));
    });
  }

  async start(): Promise<void> {
    const { base } = this.house;
    for (const made of ["bin", "share/applications", "config"])
      fs.mkdirSync(path.join(base, made), { recursive: true });
    fs.mkdirSync(path.join(base, "run"), { mode: 0o700 });
    const opener = `#!/bin/sh\nprintf '%s\\n' "$1" > '${this.browsed}'\n`;
    fs.writeFileSync(path.join(base, "bin", "xdg-open"), opener, { mode: 0o755 });
    fs.writeFileSync(
      path.join(base, "share", "applications", "reader.desktop"),
      `[Desktop Entry]\nType=Application\nName=Reader\nMimeType=text/plain;\nExec=sh -c "cat \\"\\$1\\" > ${this.read}" sh %f\n`,
    );
    this.display = `:${await this.begin("Xvfb", ["-displayfd", "3", "-screen", "0", "1000x700x24"])}`;
    this.bus = await this.begin("dbus-daemon", ["--session", "--nofork", "--print-address=3"]);
    this.house.desktop = this.environment;
  }

  showFolder(folder: string): void {
    this.programs.push(spawn("thunar", [folder], { env: this.house.environment, stdio: "ignore" }));
  }

  private xdotool(...words: string[]): string {
    return spawnSync("xdotool", words, { env: this.house.environment, encoding: "utf8" }).stdout.trim();
  }

  /** The windows whose titles begin so. */
  windows(title: string): string[] {
    const found = this.xdotool("search", "--onlyvisible", "--name", `^${title}`);
    return found.split("\n").filter((line) => line !== "");
  }

  /** Activates the entry at a place in a window's list, as a double click does. */
  activate(window: string, index: number): void {
    this.xdotool("windowfocus", "--sync", window);
    this.xdotool("key", "--delay", "200", "Home", ...Array.from({ length: index }, () => "Right"), "Return");
  }

  async end(): Promise<void> {
    spawnSync("thunar", ["--quit"], { env: this.house.environment });
    for (const program of this.programs.reverse()) {
      if (program.exitCode !== null || program.signalCode !== null) continue;
      const ended = new Promise((resolve) => program.once("exit", resolve));
      program.kill();
      await ended;
    }
  }
}

test("from a locked folder in the file manager to a file in its program: the item, the password, one click, the file", async ({
  house,
  page,
}) => {
  const desktop = new Desktop(house);
  await desktop.start();
  try {
    expect(house.eremos(["integrate"]).status).toBe(0);
    await house.stop();
    await house.start();
    const folder = house.place("Cello fund");
    expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
    expect(house.ls(folder)).toEqual(["Locked with Eremos.html", "Open with Eremos"]);

    desktop.showFolder(folder);
    await expect.poll(() => desktop.windows("Cello fund").length).toBe(1);
    const [item = ""] = desktop.windows("Cello fund");
    desktop.activate(item, 1);
    await expect.poll(() => fs.existsSync(desktop.browsed)).toBe(true);
    const wayIn = fs.readFileSync(desktop.browsed, "utf8").trim();
    expect(path.dirname(wayIn)).toBe(house.data);

    await page.goto(`file://${wayIn}`);
    await page.getByLabel("Master password").fill(PASSWORD);
    await page.keyboard.press("Enter");
    await expect(page.getByText("You came from the file manager.")).toBeVisible();
    await page.getByRole("button", { name: "Open and show it there" }).click();
    await expect.poll(() => house.ls(folder)).not.toContain("Open with Eremos");
    await expect(page).toHaveURL(/\/folders\/[0-9a-f]+$/);

    const first = house.ls(folder)[0] ?? "";
    await expect.poll(() => desktop.windows("Cello fund").length).toBe(2);
    desktop.activate(desktop.windows("Cello fund").find((window) => window !== item) ?? "", 0);
    await expect.poll(() => fs.existsSync(desktop.read)).toBe(true);
    expect(fs.readFileSync(desktop.read)).toEqual(fs.readFileSync(path.join(folder, first)));
  } finally {
    await desktop.end();
  }
});
