import { type ChildProcess, spawn, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { type House, PASSWORD, card, expect, signIn, test } from "./house";

/** A screen that nobody sees, a session's bus, and the file manager on it: as they are on a person's desktop. */
class Desktop {
  private readonly programs: ChildProcess[] = [];
  private display = "";
  private bus = "";
  /** What the desktop was asked to show in a browser, or in a text's program. */
  readonly browsed: string;
  readonly read: string;
  /** While there is nothing there, the text's program goes on. */
  readonly closed: string;

  constructor(private readonly house: House) {
    this.browsed = path.join(house.base, "browsed");
    this.read = path.join(house.base, "read");
    this.closed = path.join(house.base, "closed");
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
    // No browser of its owner's: what would be opened in one is written down.
    fs.writeFileSync(path.join(base, "bin", "xdg-settings"), "#!/bin/sh\nexit 2\n", { mode: 0o755 });
    fs.writeFileSync(
      path.join(base, "share", "applications", "reader.desktop"),
      `[Desktop Entry]\nType=Application\nName=Reader\nMimeType=text/plain;\nExec=${path.join(base, "bin", "reader")} %u\n`,
    );
    fs.writeFileSync(
      path.join(base, "share", "applications", "mimeapps.list"),
      "[Default Applications]\ntext/plain=reader.desktop\n",
    );
    fs.writeFileSync(
      path.join(base, "bin", "reader"),
      `#!/bin/sh\ngio cat "$1" > '${this.read}'\nwhile [ -d '${base}' ] && [ ! -e '${this.closed}' ]; do sleep 0.2; done\n`,
      { mode: 0o755 },
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
    fs.writeFileSync(this.closed, "");
    spawnSync("thunar", ["--quit"], { env: this.house.environment });
    for (const program of this.programs.reverse()) {
      if (program.exitCode !== null || program.signalCode !== null) continue;
      const ended = new Promise((resolve) => program.once("exit", resolve));
      program.kill();
      await ended;
    }
  }
}

/** With a desktop, and the server begun on it. */
async function onDesktop(house: House, act: (desktop: Desktop) => Promise<void>): Promise<void> {
  const desktop = new Desktop(house);
  await desktop.start();
  try {
    await house.stop();
    await house.start();
    await act(desktop);
  } finally {
    await desktop.end();
  }
}

test("from a locked folder in the file manager to a file in its program: the item, the password, one click, the file", async ({
  house,
  page,
}) => {
  await onDesktop(house, async (desktop) => {
    expect(house.eremos(["integrate"]).status).toBe(0);
    const folder = house.place("Cello fund");
    expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
    expect(house.ls(folder)).toEqual(["Locked with Eremos.html", "Open with Eremos"]);

    desktop.showFolder(folder);
    await expect.poll(() => desktop.windows("Cello fund").length).toBe(1);
    const [item = ""] = desktop.windows("Cello fund");
    desktop.activate(item, 1);
    await expect.poll(() => fs.existsSync(desktop.browsed) && fs.readFileSync(desktop.browsed, "utf8")).toMatch(/\n$/);
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
    const content = fs.readFileSync(path.join(folder, first));
    await expect.poll(() => fs.existsSync(desktop.read) && fs.readFileSync(desktop.read)).toEqual(content);
  });
});

test("from a visit, a file opens in the desktop's program, off the drive; the visit ends when that is closed, where it is wished", async ({
  house,
  page,
}) => {
  await onDesktop(house, async (desktop) => {
    const folder = house.place("Cello fund");
    const [name = ""] = fs.readdirSync(folder).filter((one) => one.endsWith(".txt"));
    const content = fs.readFileSync(path.join(folder, name));
    expect(house.eremos(["lock", folder]).status).toBe(0);
    await signIn(page, house);
    await card(page, "Cello fund").dblclick();
    await expect(page.getByRole("heading", { name: "Visiting Cello fund" })).toBeVisible();
    await page.getByRole("row", { name }).click();
    await page.getByRole("button", { name: "Open in its program" }).click();
    const opened = page.getByRole("status").filter({ hasText: `${name} is open in a program.` });
    await expect(opened).toBeVisible();
    await expect.poll(() => fs.existsSync(desktop.read) && fs.readFileSync(desktop.read)).toEqual(content);
    await page.getByRole("checkbox", { name: "End the visit when the programs are closed" }).check();
    // By then it is known to run by itself.
    await page.waitForTimeout(11_000);
    await expect(opened).not.toContainText("can’t be told");
    fs.writeFileSync(desktop.closed, "");
    await expect(page.getByRole("heading", { name: "Cello fund is not being visited" })).toBeVisible();
    expect(fs.existsSync(folder)).toBe(false);
  });
});

test("what is chosen in the file manager, and not done at once, is asked about by the page", async ({
  house,
  page,
}) => {
  const [fund, papers] = ["Cello fund", "Old papers"].map((name) => house.place(name));
  const letter = house.place("a letter.txt");
  fs.mkdirSync(papers ?? "");
  fs.writeFileSync(letter, "Dear Jonas");
  expect(house.eremos(["lock", fund ?? "", "--view"]).status).toBe(0);
  await signIn(page, house);
  const origin = new URL(page.url()).origin;
  const ask = async (act: string, ...paths: readonly string[]): Promise<void> => {
    expect(house.eremos(["menu", act, ...paths]).status).toBe(0);
    await page.goto(`${origin}/?asked=${act}`);
  };
  const dialog = page.getByRole("dialog");
  const notNow = (): Promise<void> => dialog.getByRole("button", { name: "Not now" }).click();

  await ask("lock-own", papers ?? "");
  await expect(dialog).toContainText("Protect Old papers");
  await expect(dialog.getByRole("checkbox", { name: /^A password of its own/ })).toBeChecked();
  await expect(dialog.getByLabel("Password of this folder")).toBeFocused();
  await notNow();
  await ask("lock-own", papers ?? "", letter);
  await expect(page.getByText("That is done with one at a time.")).toBeVisible();

  await ask("put-in", letter);
  await expect(dialog.getByRole("radio", { name: "They stay" })).toBeChecked();
  await dialog.getByLabel("Into which folder").selectOption({ index: 1 });
  await dialog.getByRole("button", { name: "Put 1 item in" }).click();
  await expect(
    page.getByText("1 file is in Cello fund, encrypted; its original is where it was, readable."),
  ).toBeVisible();
  expect(fs.readFileSync(letter, "utf8")).toBe("Dear Jonas");
  await ask("move-in", letter);
  await expect(dialog.getByRole("radio", { name: "They are removed" })).toBeChecked();
  await notNow();

  await ask("release", papers ?? "");
  await expect(page.getByText("Old papers is nothing that is protected")).toBeVisible();
  await ask("release", fund ?? "");
  await expect(page.getByRole("alertdialog")).toContainText("Cello fund");
  await page.keyboard.press("Escape");
  await ask("remove", fund ?? "");
  await expect(dialog).toContainText("Cello fund");
  await notNow();
  // By the small file in it, too.
  await ask("visit", path.join(fund ?? "", "Locked with Eremos.html"));
  await expect(page.getByRole("heading", { name: "Visiting Cello fund" })).toBeVisible();
});
