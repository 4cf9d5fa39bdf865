import * as fs from "node:fs";
import * as path from "node:path";
import type { Locator, Page } from "@playwright/test";
import { rememberPast } from "../demo/src/remember";
import { violations } from "./accessible";
import { type House, PASSWORD, card, expect, signIn, test } from "./house";

/** The workshop with four weeks behind it: what its owner sees at the next sign-in. */
async function withPast(house: House, before = 0): Promise<void> {
  const folders = ["Workshop/Payroll", "Workshop/Appraisals 2026", "Home/Adoption papers"];
  expect(house.eremos(["lock", ...folders.map((name) => house.place(name)), "--view"]).status).toBe(0);
  await rememberPast(PASSWORD, house.environment, before);
}

const activity = (page: Page): Promise<void> => page.getByRole("link", { name: "Activity" }).click();
async function lookAtPast(house: House, page: Page, before = 0): Promise<void> {
  await withPast(house, before);
  await signIn(page, house);
  await activity(page);
}

const list = (page: Page): Locator => page.getByRole("region", { name: "Entries" });
const field = (page: Page, label: string): Locator => page.getByRole("main").getByLabel(label, { exact: true }).first();
const status = (page: Page): Locator => page.getByRole("main").getByRole("status").first();

test("who signs in is told what happened since, each thing leads to its folder, and it can be taken away", async ({
  house,
  page,
}) => {
  await withPast(house);
  await signIn(page, house);
  const since = page.getByRole("region", { name: /^Since you were last here/ });
  await expect(since).toContainText(/2 wrong master passwords on \w+ night/);
  await expect(since).toContainText("Payroll locked itself yesterday at 18:40: nobody used it");
  await expect(since).toContainText("2 files were put into Adoption papers");
  expect(await violations(page)).toEqual([]);
  await since.getByRole("link", { name: /^Payroll locked itself/ }).click();
  await expect(page.getByRole("heading", { name: "Payroll", level: 1 })).toBeVisible();
  await page.goBack();
  await since.getByRole("button", { name: "Seen" }).click();
  await expect(since).toHaveCount(0);
  await page.getByRole("link", { name: "Settings" }).click();
  await page.getByRole("link", { name: "Desk" }).click();
  await expect(card(page, "Payroll")).toBeVisible();
  await expect(since).toHaveCount(0);
});

test("a wrong password at the gate is told at the next sign-in, and stands in the history with the account", async ({
  house,
  page,
}) => {
  await signIn(page, house);
  await page.getByRole("button", { name: "Sign out" }).click();
  await page.getByLabel("Master password").fill("violin varnish at dawn");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByText("1 wrong password since the last sign-in")).toBeVisible();
  await expect(page.getByText(/That is not the master password/)).toBeVisible();
  await page.getByLabel("Master password").fill(PASSWORD);
  await expect(page.getByRole("button", { name: "Sign in" })).toBeEnabled();
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("region", { name: /^Since you were/ })).toContainText("One wrong master password");
  await activity(page);
  await field(page, "What").selectOption("Wrong passwords, other accounts");
  await expect(list(page).getByRole("listitem")).toHaveCount(1);
  await expect(list(page)).toContainText("Wrong master password");
  await expect(list(page)).toContainText(/in the page, by the account \w+, while signed out/);
});

test("the history is looked through by folder, kind, time, who and word, all together, and says when nothing fits", async ({
  house,
  page,
}) => {
  await lookAtPast(house, page);
  await expect(status(page)).toHaveText(/^\d+ entries$/);
  expect(await violations(page)).toEqual([]);
  await field(page, "Folder").selectOption("Payroll");
  await expect(status(page)).toHaveText(/^\d+ entries of \d+$/);
  for (const row of await list(page).getByRole("listitem").all()) await expect(row).toContainText("Payroll");
  await field(page, "What").selectOption("Locking and protection");
  await field(page, "Who").selectOption("Eremos by itself");
  await field(page, "When").selectOption("In the last 7 days");
  await expect(list(page).getByRole("listitem").first()).toContainText("by itself: nobody used it");
  await field(page, "Find").fill("signed out");
  await expect(list(page).getByRole("listitem")).toHaveCount(1);
  await expect(list(page)).toContainText("it lay open for 2 h");
  await field(page, "Find").fill("no such word");
  await expect(page.getByText("Nothing that was written down fits.")).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await page.getByRole("button", { name: "Show everything" }).click();
  await expect(status(page)).toHaveText(/^\d+ entries$/);
  await field(page, "When").selectOption("From a day to a day…");
  await page.getByLabel("To", { exact: true }).fill("2001-01-01");
  await expect(page.getByText("Nothing that was written down fits.")).toBeVisible();
});

test("thousands of entries scroll to the first one, with a few in the page at a time", async ({ house, page }) => {
  await lookAtPast(house, page, 6000);
  await expect(status(page)).toHaveText(/^6,\d{3} entries$/);
  await list(page).focus();
  await page.keyboard.press("End");
  const last = list(page).getByRole("listitem").last();
  await expect(last).toContainText("Entry 0");
  expect(Number(await last.getAttribute("aria-posinset"))).toBe(Number(await last.getAttribute("aria-setsize")));
  expect(await list(page).getByRole("listitem").count()).toBeLessThan(60);
});

test("each chart says in a sentence what it shows, has its numbers as a table, and is walked through by keys", async ({
  house,
  page,
}) => {
  await lookAtPast(house, page);
  await page.getByRole("tab", { name: "Charts" }).click();
  const chart = (name: string): Locator => page.getByRole("region", { name, exact: true });
  await expect(chart("Hours that folders lay open")).toContainText("Payroll lay open on 2 nights so far.");
  await expect(chart("Wrong passwords")).toContainText("5 wrong tries so far, most of them, 3, on");
  await expect(chart("Ways back, last proven")).toContainText(/the longest ago, Recovery code, [34] days ago\./);
  await expect(chart("Size over its states")).toContainText(/Appraisals 2026 has grown from .* over \d+ states\./);
  for (const name of [
    "Hours that folders lay open",
    "Wrong passwords",
    "Ways back, last proven",
    "Size over its states",
  ]) {
    await chart(name).getByText("As a table").click();
    await expect(chart(name).getByRole("table").getByRole("row").nth(1)).toBeVisible();
  }
  await expect(chart("Wrong passwords").getByRole("table")).toContainText("Other accounts, sent away");
  expect(await violations(page)).toEqual([]);
  await chart("Hours that folders lay open").getByRole("application").first().focus();
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("ArrowRight");
  await expect(chart("Hours that folders lay open").locator(".recharts-tooltip-wrapper")).toContainText(/\d+ \w+/);
  await field(page, "Folder").selectOption("Payroll");
  await expect(chart("Hours that folders lay open")).not.toContainText("Appraisals 2026");
  await page.emulateMedia({ colorScheme: "dark" });
  await page.setViewportSize({ width: 390, height: 800 });
  expect(await violations(page)).toEqual([]);
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
});

test("it is kept for some days, exported into a readable file that is a trace, cleared, and switched off and on", async ({
  house,
  page,
}) => {
  await withPast(house);
  const out = path.join(house.base, "out");
  fs.mkdirSync(out);
  await signIn(page, house);
  await activity(page);
  await field(page, "Folder").selectOption("Payroll");
  await page.getByRole("button", { name: "Keep, export, clear…" }).click();
  const dialog = page.getByRole("dialog", { name: "The history" });
  expect(await violations(page)).toEqual([]);
  await dialog.getByLabel("Folder for the file").fill(`${out}/nowhere`);
  await dialog.getByRole("button", { name: "As a table (CSV)" }).click();
  await expect(dialog.getByText(/is no folder\. Nothing was written/)).toBeVisible();
  await dialog.getByLabel("Folder for the file").fill(out);
  await dialog.getByRole("button", { name: "As a table (CSV)" }).click();
  await expect(dialog.getByRole("status")).toContainText(`readable in ${out}`);
  expect(fs.readdirSync(out)).toHaveLength(1);
  await dialog.getByRole("button", { name: "Clear that of Payroll…" }).click();
  await page.getByRole("alertdialog").getByRole("button", { name: "Clear", exact: true }).click();
  await expect(page.getByText(/^\d+ entries are gone\.$/)).toBeVisible();
  await dialog.getByLabel("Keep what happened").selectOption("For some days");
  await expect(dialog.getByLabel("Days")).toHaveValue("90");
  await dialog.getByLabel("Days").fill("0");
  await dialog.getByLabel("Days").press("Enter");
  await expect(dialog.getByLabel("Days")).toHaveValue("90");
  await dialog.getByLabel("Days").fill("14");
  await dialog.getByLabel("Days").press("Enter");
  const shorten = page.getByRole("alertdialog", { name: "Keep what happened for 14 days?" });
  await expect(shorten).toContainText(/\d+ entries are older than that/);
  await shorten.getByRole("button", { name: "Leave as it is" }).click();
  await expect(dialog.getByLabel("Days")).toHaveValue("90");
  await dialog.getByLabel("Days").fill("45");
  await dialog.getByLabel("Days").press("Enter");
  await expect(dialog.getByText("What is older goes by itself.")).toBeVisible();
  await dialog.getByLabel("Keep what happened").selectOption("Write nothing down");
  await expect(dialog.getByText("nobody can tell you who was at your folders")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByText("Nothing is written down now.")).toBeVisible();
  await page.getByRole("button", { name: "Write it down again" }).click();
  await expect(page.getByText("Nothing is written down now.")).toHaveCount(0);
  await expect(page.getByText("Nothing that was written down fits.")).toBeVisible();
  await page.getByRole("button", { name: "Show everything" }).click();
  for (const what of [
    "Written down again",
    "Nothing is written down any more",
    "of the history cleared",
    "History exported",
  ])
    await expect(list(page)).toContainText(what);
  await page.getByRole("link", { name: "Traces" }).click();
  await page.getByRole("button", { name: "Look for traces of all" }).click();
  await expect(page.getByText("Files that Eremos made").first()).toBeVisible();
});

test("a folder's page has its own history, to be looked through, and its own charts", async ({ house, page }) => {
  await withPast(house);
  await signIn(page, house);
  await card(page, "Payroll").click({ button: "right" });
  await page.getByRole("menuitem", { name: "Details" }).click();
  const history = page.getByRole("region", { name: "History" }).first();
  await expect(history).toContainText("Opened in place");
  await history.getByLabel("What", { exact: true }).selectOption("Locking and protection");
  await expect(history).not.toContainText("Opened in place");
  await history.getByText("Its charts").click();
  await expect(page.getByRole("region", { name: "Hours that folders lay open" })).toContainText(
    "Payroll lay open on 2 nights",
  );
  expect(await violations(page)).toEqual([]);
});
