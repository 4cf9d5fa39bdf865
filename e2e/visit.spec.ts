import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import type { Page } from "@playwright/test";
import { ask } from "../cli/test/ask";
import { violations } from "./accessible";
import { type House, PASSWORD, card, expect, signIn, test } from "./house";

const HOSTILE =
  "<!doctype html><title>harmless</title><script>document.title = 'it ran'; new Image().src = '/it-ran'</script><p>hello</p>";
const row = (page: Page, name: string): ReturnType<Page["getByRole"]> => page.getByRole("row", { name });
const preview = (page: Page): ReturnType<Page["getByRole"]> =>
  page.getByRole("complementary").filter({ has: page.getByRole("region", { name: "What is in it" }) });

async function beginVisit(page: Page, house: House, folder: string, name: string): Promise<void> {
  expect(house.eremos(["lock", folder, "--hide"]).status).toBe(0);
  await signIn(page, house);
  await card(page, name)
    .getByRole("button", { name: new RegExp(name) })
    .click();
  await card(page, name).getByRole("button", { name: "Visit", exact: true }).click();
  await expect(page.getByRole("heading", { name: `Visiting ${name}` })).toBeVisible();
}

test("a sealed folder is looked into and changed in the page, with nothing readable on the disk; changes are undone, and kept when it ends", async ({
  page,
  house,
}) => {
  const folder = house.place("Home", "Adoption papers");
  fs.writeFileSync(
    path.join(folder, "notes.md"),
    "# What to ask\n\n- the **date**\n\n<script>document.title = 'it ran'</script>",
  );
  fs.writeFileSync(path.join(folder, "hours.csv"), 'Name,Hours\n"Kovács, Éva",8\n');
  await beginVisit(page, house, folder, "Adoption papers");
  await row(page, "notes.md").click();
  await expect(preview(page).getByRole("heading", { name: "What to ask" })).toBeVisible();
  await expect(preview(page).getByText("<script>")).toBeVisible();
  await row(page, "hours.csv").click();
  await expect(preview(page).getByRole("cell", { name: "Kovács, Éva" })).toBeVisible();
  await page.keyboard.press("ArrowDown");
  await expect(preview(page).getByRole("cell", { name: "Kovács, Éva" })).toBeHidden();
  await page.keyboard.press("ArrowUp");
  await expect(preview(page).getByRole("cell", { name: "Kovács, Éva" })).toBeVisible();
  expect(await violations(page)).toEqual([]);

  await page.getByRole("button", { name: "New folder" }).click();
  await page.getByLabel("Name", { exact: true }).fill("Letters / 2026");
  await expect(page.getByText("A name has no slash.")).toBeVisible();
  await page.getByLabel("Name", { exact: true }).fill("Letters 2026 – #1");
  await page.getByRole("button", { name: "Make it" }).click();
  await row(page, "Letters 2026 – #1").dblclick();
  await expect(page.getByText("Nothing is in here yet.")).toBeVisible();
  await page.getByLabel("Files from this computer").setInputFiles([
    { name: "from outside.txt", mimeType: "text/plain", buffer: Buffer.from("put in while it is sealed") },
    { name: "large.bin", mimeType: "application/octet-stream", buffer: Buffer.alloc(3_000_000, "large") },
  ]);
  await expect(row(page, "large.bin")).toContainText("3.0 MB");
  await row(page, "from outside.txt").click();
  await expect(preview(page).getByText("put in while it is sealed")).toBeVisible();

  await page.getByLabel("Choose from outside.txt").check();
  await page.getByRole("button", { name: "Rename…" }).click();
  await page.getByLabel("Name", { exact: true }).fill("taken in.txt");
  await page.getByRole("button", { name: "Rename it" }).click();
  await page.getByLabel("Choose taken in.txt").check();
  await page.getByRole("button", { name: "Move…" }).click();
  await expect(page.getByRole("button", { name: "Put here" })).toBeDisabled();
  await page
    .getByRole("navigation", { name: "Where you are in it" })
    .getByRole("button", { name: "Adoption papers" })
    .click();
  await page.getByRole("button", { name: "Put here" }).click();
  await expect(row(page, "taken in.txt")).toBeVisible();

  await page.getByLabel("Choose notes.md").check();
  await page.getByRole("button", { name: "Delete…" }).click();
  await page.getByRole("alertdialog").getByRole("button", { name: "Delete" }).click();
  await expect(row(page, "notes.md")).toBeHidden();
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(row(page, "notes.md")).toBeVisible();
  await page.getByLabel("Find a name in it").fill("LARGE");
  await expect(row(page, "large.bin")).toContainText("in Letters 2026 – #1");

  await page.getByLabel("Find a name in it").fill("");
  await page.getByRole("button", { name: "Earlier states…" }).click();
  const before = page.getByRole("dialog");
  await expect(before.getByRole("listitem")).toHaveText([/came.*Letters 2026 – #1/, /came.*taken in\.txt/]);
  expect(await violations(page)).toEqual([]);
  await before
    .getByRole("listitem")
    .filter({ hasText: "taken in.txt" })
    .getByRole("button", { name: "Take it away" })
    .click();
  await expect(before.getByRole("listitem")).toHaveCount(1);
  await before.getByRole("button", { name: "Close" }).click();
  await expect(row(page, "taken in.txt")).toBeHidden();
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(row(page, "taken in.txt")).toBeVisible();

  await page.getByLabel("Choose Letters 2026 – #1").check();
  await page.getByLabel("Choose taken in.txt").check();
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: "Download as ZIP" }).click(),
  ]);
  const archive = house.place("chosen.zip");
  await download.saveAs(archive);
  const inside = spawnSync(
    "python3",
    [
      "-c",
      "import sys, zipfile; z = zipfile.ZipFile(sys.argv[1]); print(z.testzip(), [(i.filename, i.file_size) for i in z.infolist()])",
      archive,
    ],
    { encoding: "utf8" },
  ).stdout;
  expect(inside.trim()).toBe("None [('Letters 2026 – #1/large.bin', 3000000), ('taken in.txt', 25)]");

  expect(house.ls(house.place("Home"), "-A")).not.toContain("Adoption papers");
  await page.getByRole("button", { name: "End the visit" }).click();
  await expect(page).toHaveURL(/\/folders\/[0-9a-f-]+$/);
  await expect(page.getByRole("button", { name: "Visit", exact: true })).toBeVisible();
  expect(house.eremos(["release", folder], PASSWORD).status).toBe(0);
  expect(fs.readFileSync(path.join(folder, "taken in.txt"), "utf8")).toBe("put in while it is sealed");
  expect(fs.readdirSync(path.join(folder, "Letters 2026 – #1"))).toEqual(["large.bin"]);
});

test("what changed in an open folder since its last lock is shown, and put back by itself or whole", async ({
  page,
  house,
}) => {
  const folder = house.place("Home", "Adoption papers");
  fs.writeFileSync(path.join(folder, "letter.txt"), "as it was locked");
  expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
  expect(house.eremos(["unlock", folder], PASSWORD).status).toBe(0);
  fs.writeFileSync(path.join(folder, "letter.txt"), "spoilt meanwhile");
  fs.writeFileSync(path.join(folder, "came.txt"), "new");
  await signIn(page, house);
  await card(page, "Adoption papers")
    .getByRole("button", { name: /Adoption papers/ })
    .click();
  await card(page, "Adoption papers").getByRole("link", { name: "Details" }).click();
  const section = page.getByRole("region", { name: "Since it was locked last" });
  await section.getByRole("button", { name: "Show what changed" }).click();
  await expect(section.getByRole("listitem")).toHaveText([/came.*came\.txt/, /changed.*letter\.txt/]);
  expect(await violations(page)).toEqual([]);
  await section
    .getByRole("listitem")
    .filter({ hasText: "letter.txt" })
    .getByRole("button", { name: "Put it back" })
    .click();
  await page.getByRole("alertdialog").getByRole("button", { name: "Put it back" }).click();
  await expect(page.getByText("with what you chose as it was at its last lock")).toBeVisible();
  expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toBe("as it was locked");
  expect(fs.readFileSync(path.join(folder, "came.txt"), "utf8")).toBe("new");
});

test("files put in without opening it wait encrypted, are shown, and taken in or discarded; so is what a program saved into it", async ({
  page,
  house,
}) => {
  const folder = house.place("Home", "Adoption papers");
  expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
  fs.writeFileSync(house.place("bank statement.txt"), "the balance is 12,400");
  expect(house.eremos(["drop", folder, house.place("bank statement.txt")]).status).toBe(0);
  fs.writeFileSync(path.join(folder, "scan 1.txt"), "saved by a scanner");
  await signIn(page, house);
  expect(house.ls(folder)).toEqual(["Locked with Eremos.html"]);
  await expect(card(page, "Adoption papers").getByText("2 files were put in while it was locked")).toBeVisible();
  await card(page, "Adoption papers")
    .getByRole("button", { name: /Adoption papers/ })
    .click();
  await card(page, "Adoption papers").getByRole("button", { name: "Visit", exact: true }).click();
  const arrived = page.getByRole("region", { name: "Put in while it was locked" });
  await expect(arrived.getByText("scan 1.txt")).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await arrived.getByRole("button", { name: "Take them in" }).click();
  await expect(arrived).toBeHidden();
  await row(page, "bank statement.txt").click();
  await expect(preview(page).getByText("the balance is 12,400")).toBeVisible();
  await page.getByRole("button", { name: "End the visit" }).click();
  await expect(page.getByRole("button", { name: "Visit", exact: true })).toBeVisible();
  expect(house.eremos(["release", folder], PASSWORD).status).toBe(0);
  expect(fs.readFileSync(path.join(folder, "scan 1.txt"), "utf8")).toBe("saved by a scanner");
});

test("signed out, from the page in a locked folder: files are put in at the gate", async ({ page, house }) => {
  const folder = house.place("Home", "Adoption papers");
  expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
  await page.goto(house.address);
  await expect(page.getByLabel("Master password")).toBeVisible();
  await expect(page.getByText("Or put files in, without opening it")).toBeHidden();
  await page.goto(house.pageOf(folder));
  await expect(page.getByText("Or put files in, without opening it")).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await page.getByLabel("Files to put in").setInputFiles([
    { name: "at the gate.txt", mimeType: "text/plain", buffer: Buffer.from("put in at the gate") },
    { name: "second ü.bin", mimeType: "application/octet-stream", buffer: Buffer.alloc(2_500_000, "second") },
  ]);
  await expect(page.getByText("2 files are in, encrypted.")).toBeVisible();
  expect(house.ls(folder)).toEqual(["Locked with Eremos.html"]);
  expect((await ask(house.address, "/api/drop?folder=AAAAAAAAAAAAAAAAAAAAAA&name=x", { body: "x" })).status).toBe(404);
  expect(house.eremos(["unlock", folder], PASSWORD).status).toBe(0);
  expect(fs.readFileSync(path.join(folder, "at the gate.txt"), "utf8")).toBe("put in at the gate");
  expect(fs.statSync(path.join(folder, "second ü.bin")).size).toBe(2_500_000);
});

test("contents that would hold a page up are cut, shown as text or left to a program; the page goes on", async ({
  page,
  house,
}) => {
  const folder = house.place("Home", "Adoption papers");
  const nested = Array.from({ length: 300 }, (_, i) => `${"  ".repeat(i)}- x`).join("\n");
  const bomb = Array.from(
    { length: 24 },
    (_, i) => `<g id="g${i + 1}"><use href="#g${i}"/><use href="#g${i}"/></g>`,
  ).join("");
  const hostile: Record<string, [string, RegExp]> = {
    "commas.csv": [",".repeat(500_000), /Only the beginning|too much in it/],
    "wide.csv": [
      Array.from({ length: 260 }, () => Array(1000).fill("cell").join(",")).join("\n"),
      /Only the beginning/,
    ],
    "lists.md": [nested, /too much in it|nested too deeply/],
    "quotes.md": [">".repeat(20_000), /too much in it|nested too deeply/],
    "bomb.svg": [
      `<svg xmlns="http://www.w3.org/2000/svg"><defs><g id="g0"><rect width="1" height="1"/></g>${bomb}</defs><use href="#g24"/></svg>`,
      /shown as text/,
    ],
  };
  for (const [name, [content]] of Object.entries(hostile)) fs.writeFileSync(path.join(folder, name), content);
  await beginVisit(page, house, folder, "Adoption papers");
  for (const [name, [, said]] of Object.entries(hostile)) {
    await row(page, name).click();
    await expect(preview(page).getByText(said)).toBeVisible();
    // The page answers: this closes the preview.
    await page.getByRole("button", { name: "Close the preview" }).click();
    await expect(preview(page)).toBeHidden();
  }
});

test("whatever lies in a folder, nothing of it runs in the page's origin; without the session its address gives nothing", async ({
  page,
  house,
  browser,
}) => {
  const folder = house.place("Home", "Adoption papers");
  fs.writeFileSync(path.join(folder, "evil.html"), HOSTILE);
  fs.writeFileSync(
    path.join(folder, "evil.svg"),
    `<svg xmlns="http://www.w3.org/2000/svg" width="90" height="60"><script>document.title = 'it ran'</script><rect width="90" height="60"/></svg>`,
  );
  const asked: string[] = [];
  page.context().on("request", (request) => asked.push(request.url()));
  await beginVisit(page, house, folder, "Adoption papers");
  await row(page, "evil.html").click();
  await expect(preview(page).getByText("document.title = 'it ran'")).toBeVisible();
  await row(page, "evil.svg").click();
  const picture = preview(page).getByRole("img", { name: "evil.svg" });
  await expect(picture).toBeVisible();
  const address = new URL((await picture.getAttribute("src")) ?? "", page.url()).toString();
  for (const name of ["evil.svg", "evil.html"]) {
    const tab = await page.context().newPage();
    await tab.goto(address.replace("evil.svg", name));
    expect(await tab.title()).not.toBe("it ran");
    // A sandboxed document has no origin: it could not even read the page's storage.
    expect(await tab.evaluate(() => self.origin)).toBe("null");
    await tab.close();
  }
  expect(asked.filter((url) => url.includes("it-ran"))).toEqual([]);
  const stranger = await browser.newPage();
  expect((await stranger.goto(address))?.status()).toBe(404);
  await stranger.close();
  await page.getByRole("button", { name: "End the visit" }).click();
  await expect(page.getByRole("button", { name: "Visit", exact: true })).toBeVisible();
  expect((await ask(house.address, new URL(address).pathname, { method: "GET" })).status).toBe(404);
});

test("a directory of twenty thousand files scrolls, sorts and is searched; sound plays from anywhere in it", async ({
  page,
  house,
}) => {
  const folder = house.place("Home", "Adoption papers");
  fs.mkdirSync(path.join(folder, "many"));
  for (let i = 0; i < 20_000; i++)
    fs.writeFileSync(path.join(folder, "many", `entry ${i}.txt`), i === 777 ? "the longest of all" : "");
  const tone = Buffer.alloc(44 + 8000 * 2 * 60);
  tone.write("RIFF", 0, "latin1");
  tone.writeUInt32LE(tone.length - 8, 4);
  tone.write("WAVEfmt ", 8, "latin1");
  for (const [at, value, bytes] of [
    [16, 16, 4],
    [20, 1, 2],
    [22, 1, 2],
    [24, 8000, 4],
    [28, 16000, 4],
    [32, 2, 2],
    [34, 16, 2],
  ] as const)
    tone.writeUIntLE(value, at, bytes);
  tone.write("data", 36, "latin1");
  tone.writeUInt32LE(tone.length - 44, 40);
  fs.writeFileSync(path.join(folder, "tone.wav"), tone);
  await beginVisit(page, house, folder, "Adoption papers");
  await row(page, "tone.wav").click();
  const player = preview(page).locator("audio");
  const duration = await player.evaluate(
    (audio: HTMLAudioElement) =>
      new Promise<number>((resolve) => {
        const seek = (): void => {
          audio.addEventListener("seeked", () => resolve(audio.currentTime));
          audio.currentTime = 45;
        };
        if (audio.readyState >= 1) seek();
        else audio.addEventListener("loadedmetadata", seek);
      }),
  );
  expect(duration).toBe(45);

  await row(page, "many").getByRole("button", { name: "many" }).click();
  await expect(page.getByText("20,000 entries")).toBeVisible();
  expect(await page.getByRole("row").count()).toBeLessThan(80);
  await row(page, "entry 0.txt").focus();
  await page.keyboard.press("End");
  await expect(row(page, "entry 19999.txt")).toBeFocused();
  await page.getByRole("button", { name: "Size" }).click();
  await page.getByRole("button", { name: "Size" }).click();
  await page.keyboard.press("Tab");
  await expect(page.getByRole("columnheader", { name: "Size" })).toHaveAttribute("aria-sort", "descending");
  await page.getByLabel("Find a name in it").fill("entry 777.");
  await row(page, "entry 777.txt").click();
  await expect(preview(page).getByText("the longest of all")).toBeVisible();
});
