import * as fs from "node:fs";
import * as path from "node:path";
import { snapshot } from "../core/test/support/world";
import type { Page } from "@playwright/test";
import { type House, PASSWORD, card, expect, protect, signIn, test } from "./house";

function makeLarge(folder: string, megabytes: number): void {
  fs.mkdirSync(folder);
  for (let i = 0; i < megabytes / 20; i++)
    fs.writeFileSync(path.join(folder, `take ${i}.raw`), Buffer.alloc(20_000_000, `take ${i}`));
  fs.utimesSync(folder, 1_700_000_000, 1_700_000_000);
}

test("progress survives a reload, cancel puts everything back", async ({ page, house }) => {
  const folder = house.place("Recordings");
  makeLarge(folder, 2000);
  const before = snapshot(folder);
  await signIn(page, house);
  await protect(page, folder, "In view");
  const progress = card(page, "Recordings").getByRole("group", { name: "Locking under way" });
  await expect(progress).toContainText(/of 100 files/);
  await expect(progress).toContainText(/MB\/s|GB\/s/);
  await page.reload();
  await expect(progress).toContainText(/of 2\.0 GB/);
  await progress.getByRole("button", { name: "Cancel" }).click();
  await expect(page.getByText("Stopped, as you asked. Everything is as it was before.")).toBeVisible();
  await expect(card(page, "Recordings")).toBeHidden();
  expect(snapshot(folder)).toEqual(before);
});

/** Of many small files: however fast the disk is, each takes its time. */
function makeMany(folder: string, directories: number): void {
  for (let i = 0; i < directories; i++) {
    fs.mkdirSync(path.join(folder, `take ${i}`), { recursive: true });
    for (let k = 0; k < 1000; k++) fs.writeFileSync(path.join(folder, `take ${i}`, `${k}.raw`), `take ${i}, ${k}`);
  }
  fs.utimesSync(folder, 1_700_000_000, 1_700_000_000);
}

/** Locks a folder of many files through the page, and waits until some of them are encrypted. */
async function inTheMiddleOfALock(page: Page, house: House): Promise<{ folder: string; before: string[] }> {
  const folder = house.place("Recordings");
  makeMany(folder, 20);
  const before = snapshot(folder);
  await signIn(page, house);
  await protect(page, folder, "Hidden in place");
  const progress = card(page, "Recordings").getByRole("group", { name: "Locking under way" });
  // Asked in short steps: what it is waited for is over within seconds.
  await expect
    .poll(async () => ((await progress.isVisible()) ? await progress.textContent() : ""), { intervals: [20] })
    .toMatch(/[1-9][\d,]* of 20,000 files/);
  return { folder, before };
}

test("a server that is stopped in the middle of a lock puts everything back before it ends", async ({
  page,
  house,
}) => {
  const { folder, before } = await inTheMiddleOfALock(page, house);
  await house.stop("SIGTERM");
  expect(snapshot(folder)).toEqual(before);
});

test("a server killed in the middle of a lock puts the folder right at the next start, tells how far it was, and finishes it when asked", async ({
  page,
  house,
}) => {
  const { folder, before } = await inTheMiddleOfALock(page, house);
  await house.stop("SIGKILL");
  await expect(page.getByRole("heading", { name: "Eremos was stopped" })).toBeVisible();
  expect(fs.existsSync(path.join(folder, ".eremos"))).toBe(true);
  await house.start();
  await signIn(page, house);
  await expect(page.getByText("Nothing is protected yet")).toBeVisible();
  expect(snapshot(folder)).toEqual(before);
  const told = page.getByRole("list", { name: "Cut off" });
  await expect(told).toContainText(
    /Locking it was cut off, at [1-9][\d,]* of 20,000 files\. Your originals are all here/,
  );
  await told.getByRole("button", { name: "Lock it now" }).click();
  await expect(card(page, path.basename(folder)).getByText("Locked", { exact: true })).toBeVisible();
  await expect(told).toBeHidden();
  expect(house.eremos(["release", folder], PASSWORD).status).toBe(0);
  expect(snapshot(folder)).toEqual(before);
});

test("in view, the folder holds one page that leads here; the page follows the command line, live", async ({
  page,
  house,
}) => {
  const folder = house.place("Home", "Adoption papers");
  const before = snapshot(folder);
  await signIn(page, house);
  expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
  await expect(card(page, "Adoption papers").getByText("Locked", { exact: true })).toBeVisible();
  expect(house.ls(folder, "-A")).toEqual([".eremos", "Locked with Eremos.html"]);

  const locked = await page.context().newPage();
  await locked.goto(`file://${folder}/Locked with Eremos.html`);
  await expect(locked.getByRole("heading", { name: "This folder is locked" })).toBeVisible();
  await expect(locked.locator("input")).toHaveCount(0);
  await expect(locked.getByRole("link")).toHaveCount(0);
  await locked.goto(house.pageOf(folder));
  await expect(locked.getByRole("heading", { name: "Adoption papers" })).toBeVisible();
  await expect(
    locked
      .getByRole("row", { name: "At this keyboard" })
      .getByRole("button", { name: "yes: Its name stands at its place." }),
  ).toBeVisible();

  expect(house.eremos(["unlock", folder], PASSWORD).status).toBe(0);
  await expect(card(page, "Adoption papers").getByText("Open", { exact: true })).toBeVisible();
  await page.getByRole("button", { name: "Close up" }).click();
  await expect(card(page, "Adoption papers").getByText("Locked", { exact: true })).toBeVisible();
  expect(house.ls(folder, "-A")).toEqual([".eremos", "Locked with Eremos.html"]);
  expect(house.eremos(["release", folder], PASSWORD).status).toBe(0);
  await expect(page.getByText("Nothing is protected yet")).toBeVisible();
  expect(snapshot(folder)).toEqual(before);
});

test("refusals are explained before anything is touched; Places is live; paths complete", async ({ page, house }) => {
  await signIn(page, house);
  await page.getByRole("button", { name: "Protect a folder…" }).last().click();
  const dialog = page.getByRole("dialog");
  fs.symlinkSync("opening hours.md", house.place("Workshop", "link"));
  for (const [typed, says] of [
    [house.world, "It is one of your places".toLowerCase()],
    ["/etc", "the system needs it"],
    [house.place("Workshop", "link"), "is a link"],
    [house.place("nowhere"), "There is nothing at"],
  ] as const) {
    await dialog.getByLabel("Folder or file").fill(typed);
    await expect(dialog.getByRole("alert")).toContainText(says, { ignoreCase: true });
    await expect(dialog.getByRole("button", { name: "Lock it" })).toBeDisabled();
  }
  await dialog.getByRole("button", { name: "Not now" }).click();

  fs.mkdirSync(house.place("Made just now"));
  await expect(page.getByRole("treeitem", { name: "Made just now" })).toBeVisible();
  fs.rmdirSync(house.place("Made just now"));
  await expect(page.getByRole("treeitem", { name: "Made just now" })).toBeHidden();

  await page.keyboard.press("Control+k");
  await page.keyboard.type(house.place("Cello"));
  await expect(page.getByRole("option", { name: house.place("Cello fund") })).toBeVisible();
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: "Protect Cello fund…" })).toBeVisible();
});
