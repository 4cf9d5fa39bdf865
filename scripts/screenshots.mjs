/** Takes the pictures in docs/screenshots from the demo world, through the real interface. */
import { spawn } from "node:child_process";
import { existsSync, mkdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { chromium } from "playwright-core";
import { CHROMIUM } from "../stand-ins/chromium.mjs";
import { build, fail, install, installTestPrograms, requireNode, root } from "./steps.mjs";

requireNode();
install();
installTestPrograms();
await build();
const { generateWorld } = await import("#demo/generate");
const { rememberPast } = await import("#demo/remember");
const { homeEnvironment, leaveTraces } = await import("#demo/traces");

const PASSWORD = "violin varnish at dusk";
const base = join(tmpdir(), "ines");
if (existsSync(base)) fail(`${base} exists already; move it away first.`);
const world = join(base, "files");
const shots = join(root, "docs", "screenshots");
mkdirSync(shots, { recursive: true });
await generateWorld(world);
leaveTraces(world, join(base, "home"));
mkdirSync(join(world, "Workshop", "Recordings"));
for (let i = 1; i <= 40; i++)
  writeFileSync(join(world, "Workshop", "Recordings", `take ${i}.wav`), Buffer.alloc(60_000_000, `take ${i}`));

const environment = {
  ...process.env,
  EREMOS_PORT: "0",
  EREMOS_DATA: join(base, "data"),
  EREMOS_PLACES: world,
  EREMOS_SYNCED: join(world, "Cloud drive"),
  ...homeEnvironment(join(base, "home")),
};
const server = spawn("node", ["cli/bin/eremos.mjs", "serve"], {
  cwd: root,
  env: environment,
  stdio: ["ignore", "ignore", "pipe"],
});
const address = await new Promise((resolve) =>
  server.stderr.on("data", (part) => {
    const found = /at (http:\S+)/.exec(String(part));
    if (found) resolve(found[1]);
  }),
);
const browser = await chromium.launch(CHROMIUM);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: "light", locale: "en-GB" });
const shot = async (name) => {
  await page.waitForTimeout(700);
  await page.screenshot({ path: join(shots, `${name}.png`) });
};
const card = (name) => page.getByRole("article", { name });
const quiet = () =>
  page
    .getByRole("listitem")
    .filter({ has: page.getByRole("button", { name: "Close toast" }) })
    .first()
    .waitFor({ state: "detached", timeout: 20_000 });

async function lock(path, name, visibility, guard = "Sealed") {
  await page.getByRole("button", { name: "Protect a folder…" }).last().click();
  await page.getByRole("dialog").getByLabel("Folder or file").fill(path);
  await page.getByRole("button", { name: "Choose guard and visibility" }).click();
  await page.getByRole("radio", { name: guard }).click();
  await page.getByRole("radio", { name: visibility }).click();
  await page.getByRole("button", { name: `Lock ${name}` }).click();
  await card(name).getByText("Locked", { exact: true }).waitFor();
}

try {
  await page.goto(address);
  await page.getByLabel("Master password").fill(PASSWORD);
  await page.getByLabel("The same again").fill(PASSWORD);
  await page.getByLabel("Hint (optional)").fill("what the workshop smells of");
  await page.getByText("Time to guess it").waitFor();
  await shot("first-run");
  await page.getByRole("button", { name: "Continue to the recovery code" }).click();
  await page.getByRole("heading", { name: "Keep your recovery code" }).waitFor();
  await shot("recovery-code");
  const groups = (await page.getByRole("list", { name: "Recovery code" }).getByRole("listitem").allInnerTexts()).map(
    (text) => text.split("\n").at(-1) ?? "",
  );
  await page.getByRole("button", { name: "I have it on paper" }).click();
  for (const label of await page.locator("label").allInnerTexts())
    await page.getByLabel(label).fill(groups[Number(/\d/.exec(label)?.[0]) - 1]);
  await page.getByRole("button", { name: "Finish" }).click();
  await page.getByText("Nothing is protected yet").waitFor();

  await page.getByRole("button", { name: "Open Workshop" }).click();
  await page.getByRole("treeitem", { name: "Payroll" }).click();
  await page.getByRole("button", { name: "Protect Payroll…" }).click();
  await page.getByRole("button", { name: "Lock Payroll" }).waitFor();
  await page.waitForTimeout(600);
  await shot("protect");
  await page.getByRole("button", { name: "Not now" }).click();
  await lock(join(world, "Workshop", "Appraisals 2026"), "Appraisals 2026", "In view");
  await lock(join(world, "Home", "Surprise for Jonas"), "Surprise for Jonas", "Hidden in place");
  await lock(join(world, "Home", "Adoption papers"), "Adoption papers", "In view", "Barred");
  await lock(join(world, "Cello fund", "why.txt"), "why.txt", "Tucked away");
  await lock(join(world, "Workshop", "Instrument photos"), "Instrument photos", "In view");
  await card("Instrument photos").getByRole("button", { name: "Open in place" }).click();
  await card("Instrument photos").getByText("Open", { exact: true }).waitFor();
  await lock(join(world, "Workshop", "Payroll"), "Payroll", "Hidden in place");
  await page.waitForTimeout(1500);
  await shot("desk-sealed");
  await page.getByText("Holding the disk").click();
  await shot("onlooker-disk");
  await page.getByText("At this keyboard").click();

  await page.getByRole("button", { name: "Protect a folder…" }).last().click();
  await page
    .getByRole("dialog")
    .getByLabel("Folder or file")
    .fill(join(world, "Workshop", "Recordings"));
  await page.getByRole("button", { name: "Lock Recordings" }).click();
  await card("Recordings").getByText("Locked", { exact: true }).waitFor({ timeout: 60_000 });

  await page.getByRole("button", { name: "Surprise for Jonas" }).first().click();
  await card("Surprise for Jonas").getByRole("link", { name: "Details" }).click();
  await page.getByRole("button", { name: "Check every byte" }).click();
  await page
    .getByText(/is whole/)
    .first()
    .waitFor();
  await page.getByRole("button", { name: "Insure it…" }).click();
  await page.getByRole("dialog").getByRole("button", { name: "Insure it" }).click();
  await page.getByText(/Repairs damage of up to/).waitFor();
  await quiet();
  await page.getByRole("heading", { name: "When it is left open" }).evaluate((heading) => heading.scrollIntoView());
  await shot("left-open");
  await page.getByRole("main").evaluate((main) => main.scrollTo(0, 0));
  await shot("folder");
  await page.getByRole("button", { name: "Visit", exact: true }).click();
  await page.getByRole("row", { name: "cello 02.jpg" }).click();
  await page.getByRole("img", { name: "cello 02.jpg" }).waitFor();
  await shot("visit");
  await page.getByRole("button", { name: "End the visit" }).click();
  await page.getByRole("heading", { name: "Who could get at it" }).waitFor();
  await page.getByRole("link", { name: "Ways back" }).click();
  await page.getByRole("button", { name: "I locked something and can’t find it" }).click();
  await page.getByRole("button", { name: "Look for my folders" }).click();
  await page.getByText(/protected folders found/).waitFor();
  await shot("ways-back");
  await page.getByRole("button", { name: "Name keyholders…" }).click();
  await page.getByLabel("Your name, as it stands on their sheets").fill("Ines Varga");
  for (const [i, name] of ["Tomas Lind", "Mirela Ostrov", "Pavel Hruza"].entries()) {
    await page.getByLabel(`Name of keyholder ${i + 1}`).fill(name);
    await page
      .getByLabel(`Mail address of keyholder ${i + 1}`)
      .fill(`${name.split(" ")[0].toLowerCase()}@strings.example`);
  }
  await page.getByLabel("Present master password").fill(PASSWORD);
  await page.getByRole("button", { name: "Make the shares" }).click();
  await page.getByRole("list", { name: "Keyholders" }).waitFor();
  await quiet();
  await page.getByRole("heading", { name: "Keyholders" }).evaluate((heading) => heading.scrollIntoView());
  await shot("keyholders");
  const reader = await browser.newPage({
    viewport: { width: 1280, height: 1120 },
    colorScheme: "light",
    locale: "en-GB",
  });
  await reader.goto(pathToFileURL(join(root, "rescue", "dist", "rescue.html")).toString());
  await reader.setInputFiles("#folder", join(world, "Workshop", "Appraisals 2026"));
  await reader.getByLabel("Master password", { exact: true }).fill(PASSWORD);
  await reader.getByRole("button", { name: "Open it" }).click();
  await reader.getByText(/It lay at/).waitFor({ timeout: 60_000 });
  await reader.screenshot({ path: join(shots, "rescue.png") });
  await reader.close();
  await page.getByRole("link", { name: "Hand-over" }).click();
  await page.getByLabel("What goes in").fill(join(world, "Workshop", "Instrument photos"));
  await page.getByLabel("Where the package goes").fill(join(world, "Home", "For Mara.html"));
  await page.getByLabel("For whom (only you see this)").fill("Mara");
  await page.getByRole("button", { name: "Make the package" }).click();
  await page.getByRole("heading", { name: "The package is made" }).waitFor();
  await quiet();
  await shot("hand-over");
  await page.getByRole("link", { name: "Traces" }).click();
  await page.getByRole("button", { name: "Look for traces of all" }).click();
  const payroll = page.getByRole("region", { name: "Payroll" });
  await payroll.getByText("Shell histories").click();
  await payroll.evaluate((region) => region.scrollIntoView());
  await shot("traces");
  await rememberPast(PASSWORD, environment);
  await page.getByRole("link", { name: "Activity" }).click();
  await page.getByText("2 files put in without opening it").first().waitFor({ timeout: 20_000 });
  await shot("activity");
  await page.getByRole("tab", { name: "Charts" }).click();
  await page.getByText("lay open on 2 nights").waitFor();
  await page.mouse.move(0, 0);
  await shot("charts");
  await page.getByRole("link", { name: "Settings" }).click();
  await shot("settings");
  await page.getByRole("link", { name: "Desk" }).click();
  await page.emulateMedia({ colorScheme: "dark" });
  await page.getByRole("button", { name: "Instrument photos" }).first().click();
  await page.waitForTimeout(2000);
  await shot("desk-open-dark");
  await page.emulateMedia({ colorScheme: "light" });
  await page.getByRole("button", { name: "Sign out" }).click();
  await page.getByLabel("Master password").waitFor();
  await shot("gate");
} finally {
  await browser.close();
  server.kill();
  rmSync(base, { recursive: true, force: true });
}
