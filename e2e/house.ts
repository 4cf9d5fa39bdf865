import { type ChildProcess, spawn, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { fileURLToPath } from "node:url";
import { type Page, test as base, expect } from "@playwright/test";
import { demoStick } from "../stand-ins/drive.mjs";
import { withDescendants } from "../cli/test/process-memory";

const CLI = fileURLToPath(new URL("../cli/bin/eremos.mjs", import.meta.url));
export const PASSWORD = "violin varnish at dusk";

/** What every house begins with. */
interface Template {
  readonly world: string;
  /** Eremos' own data of an owner with {@link PASSWORD}. */
  readonly data: string;
  readonly recoveryCode: string;
}

/** Where it is told what was made for all of them, before the first. */
export const TEMPLATE = "EREMOS_E2E_TEMPLATE";

/** The production server on a copy of the demo world, with a data directory of its own. */
export class House {
  private server: ChildProcess | null = null;
  address = "";
  readonly base = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-e2e-"));
  readonly world = path.join(this.base, "world");
  readonly data = path.join(this.base, "data");
  readonly stick = demoStick(this.base);
  /** `smtp:` and where; null: mail does not leave this computer. */
  mail: string | null = null;
  /** What else is set for Eremos: a desktop of the test's own. */
  desktop: Readonly<Record<string, string>> = {};

  /** `recoveryCode` of the owner, where the master password was chosen already. */
  constructor(
    template: Template,
    readonly recoveryCode: string | null,
  ) {
    fs.cpSync(template.world, this.world, { recursive: true, preserveTimestamps: true });
    if (recoveryCode !== null) fs.cpSync(template.data, this.data, { recursive: true });
    this.stick.mark(path.join(this.world, "Red stick"));
  }

  get environment(): NodeJS.ProcessEnv {
    return {
      ...process.env,
      XDG_CONFIG_HOME: path.join(this.base, "config"),
      EREMOS_DATA: this.data,
      EREMOS_PLACES: this.world,
      EREMOS_MOUNTS: this.stick.table,
      ...(this.mail === null ? {} : { EREMOS_MAIL: this.mail }),
      ...this.desktop,
    };
  }

  start(): Promise<void> {
    const server = spawn("node", [CLI, "serve"], { env: this.environment, stdio: ["ignore", "ignore", "pipe"] });
    this.server = server;
    return new Promise((resolve, reject) => {
      let said = "";
      server.stderr.on("data", (part) => {
        said += String(part);
        const found = /Eremos is at (http:\S+)/.exec(said);
        if (!found?.[1]) return;
        this.address = found[1];
        resolve();
      });
      server.once("exit", (code) => reject(new Error(`the server ended with ${code}: ${said}`)));
    });
  }

  async stop(signal: NodeJS.Signals = "SIGTERM"): Promise<void> {
    const { server } = this;
    if (!server || server.exitCode !== null) return;
    const ended = new Promise((resolve) => server.once("exit", resolve));
    if (signal !== "SIGKILL") server.kill(signal);
    // What is killed ends with everything it started, at once.
    else for (const pid of withDescendants(server.pid ?? 0)) process.kill(pid, signal);
    await ended;
    this.server = null;
  }

  eremos(args: readonly string[], password: string | null = null): { status: number | null; stdout: string } {
    const { status, stdout } = spawnSync("node", [CLI, ...args, ...(password === null ? [] : ["--password-stdin"])], {
      env: this.environment,
      cwd: this.world,
      encoding: "utf8",
      input: password === null ? "" : `${password}\n`,
    });
    return { status, stdout };
  }

  /** The address that the launcher shows for a folder. */
  pageOf(folder: string): string {
    const { stdout } = this.eremos(["page", folder, "--json"]);
    return (JSON.parse(stdout) as { readonly address: string }).address;
  }

  place(...parts: string[]): string {
    return path.join(this.world, ...parts);
  }

  /** What another program lists at a place. */
  ls(place: string, ...flags: string[]): string[] {
    return spawnSync("ls", ["-1", ...flags, place], { encoding: "utf8" })
      .stdout.split("\n")
      .filter((name) => name !== "");
  }
}

interface Fixtures {
  /** Whether the master password was chosen already. */
  readonly hasOwner: boolean;
  readonly house: House;
}

export const test = base.extend<Fixtures>({
  hasOwner: [true, { option: true }],
  house: async ({ hasOwner }, use) => {
    const template = JSON.parse(process.env[TEMPLATE] ?? "") as Template;
    const house = new House(template, hasOwner ? template.recoveryCode : null);
    await house.start();
    await use(house);
    await house.stop();
    fs.rmSync(house.base, { recursive: true, force: true });
  },
});

export { expect };

/** Signs in on a house whose master password was set from the command line. */
export async function signIn(page: Page, house: House, password = PASSWORD): Promise<void> {
  await page.goto(house.address);
  await page.getByLabel("Master password").fill(password);
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("heading", { name: "Your folders" })).toBeVisible();
}

/** Locks a folder through the page. */
export async function protect(
  page: Page,
  folder: string,
  visibility: "Hidden in place" | "In view" | "Tucked away",
  guard: "Sealed" | "Barred" | "Out of sight" = "Sealed",
): Promise<void> {
  await page.getByRole("button", { name: "Protect a folder…" }).last().click();
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel("Folder or file").fill(folder);
  await dialog.getByRole("button", { name: "Choose guard and visibility" }).click();
  await dialog.getByRole("radio", { name: guard }).click();
  await dialog.getByRole("radio", { name: visibility }).click();
  await dialog.getByRole("button", { name: `Lock ${path.basename(folder)}` }).click();
  await expect(dialog).toBeHidden();
}

export function card(page: Page, name: string): ReturnType<Page["getByRole"]> {
  return page.getByRole("article", { name });
}

/** As from a file manager: the browser gets the path, and the page only a name and a listing. */
export async function drop(page: Page, dropped: readonly string[], at = { x: 640, y: 420 }): Promise<void> {
  const session = await page.context().newCDPSession(page);
  const data = { items: [], files: [...dropped], dragOperationsMask: 1 };
  for (const type of ["dragEnter", "dragOver", "drop"] as const)
    await session.send("Input.dispatchDragEvent", { type, ...at, data });
}
