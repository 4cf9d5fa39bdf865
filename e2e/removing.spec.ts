import * as fs from "node:fs";
import type { Locator, Page } from "@playwright/test";
import { violations } from "./accessible";
import { type House, card, expect, signIn, test } from "./house";

/** Two folders of the demo world, locked. */
async function withTwo(house: House, page: Page): Promise<void> {
  for (const folder of ["Workshop/Payroll", "Home/Adoption papers"])
    expect(house.eremos(["lock", house.place(folder), "--view"]).status).toBe(0);
  await signIn(page, house);
}

const inTrash = (page: Page, name: string): Locator =>
  page
    .getByRole("list", { name: /in the trash$/ })
    .getByRole("listitem")
    .filter({ hasText: name });

async function choose(page: Page, on: Locator, item: string | RegExp): Promise<void> {
  await on.click({ button: "right" });
  await page.getByRole("menuitem", { name: item }).click();
}

test("a folder goes into the trash, leaves nothing at its place, and comes back with one click", async ({
  house,
  page,
}) => {
  const folder = house.place("Workshop/Payroll");
  await withTwo(house, page);
  await choose(page, card(page, "Payroll"), "Remove…");
  const dialog = page.getByRole("dialog", { name: "Remove “Payroll”" });
  await dialog.getByLabel("Comes back for").selectOption("7 days");
  expect(await violations(page)).toEqual([]);
  await dialog.getByRole("button", { name: "Put it into the trash" }).click();
  await expect(page.getByText("Payroll is in the trash for 7 days.")).toBeVisible();
  await expect(card(page, "Payroll")).toHaveCount(0);
  expect(fs.existsSync(folder)).toBe(false);
  await page.getByText("1 folder in the trash").click();
  await expect(page.getByText("can come back for 7 more days")).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await inTrash(page, "Payroll").getByRole("button", { name: "Put back" }).click();
  await expect(page.getByText("Payroll is back where it was, locked.")).toBeVisible();
  await expect(card(page, "Payroll")).toContainText("Locked");
  expect(fs.existsSync(folder)).toBe(true);
});

test("a folder is removed for good once its name is typed, and nothing of it is left", async ({ house, page }) => {
  const folder = house.place("Workshop/Payroll");
  await withTwo(house, page);
  await choose(page, card(page, "Payroll"), "Details");
  await page.getByRole("button", { name: "Remove…" }).click();
  const dialog = page.getByRole("dialog", { name: "Remove “Payroll”" });
  await dialog.getByRole("radio", { name: /^For good, now/ }).click();
  const go = dialog.getByRole("button", { name: "Remove it for good" });
  await expect(go).toBeDisabled();
  await dialog.getByLabel("Type its name to remove it for good: Payroll").fill("payroll");
  await expect(go).toBeDisabled();
  await dialog.getByLabel("Overwrite everything in it, too").check();
  await expect(dialog.getByRole("region", { name: "What overwriting does on this disk" })).not.toBeEmpty();
  await dialog.getByLabel("Type its name to remove it for good: Payroll").fill("Payroll");
  await go.click();
  await expect(page.getByText("Payroll is removed for good.")).toBeVisible();
  await expect(page).toHaveURL(/\/$/);
  await expect(card(page, "Payroll")).toHaveCount(0);
  await expect(card(page, "Adoption papers")).toBeVisible();
  expect(fs.existsSync(folder)).toBe(false);
});

test("several folders go at once, and what is in the trash can still go for good", async ({ house, page }) => {
  await withTwo(house, page);
  await card(page, "Payroll").click();
  await card(page, "Adoption papers").click({ modifiers: ["ControlOrMeta"] });
  await page.getByRole("toolbar", { name: "Chosen folders" }).getByRole("button", { name: "Remove 2…" }).click();
  await page
    .getByRole("dialog", { name: "Remove these 2 folders" })
    .getByRole("button", { name: "Put 2 into the trash" })
    .click();
  await page.getByText("2 folders in the trash").click();
  await inTrash(page, "Payroll").getByRole("button", { name: "Remove for good…" }).click();
  const dialog = page.getByRole("dialog", { name: "Remove “Payroll”" });
  await dialog.getByLabel("Type its name to remove it for good: Payroll").fill("Payroll");
  await dialog.getByRole("button", { name: "Remove it for good" }).click();
  await expect(page.getByText("1 folder in the trash")).toBeVisible();
});

test("a folder in Places is overwritten and removed, after the truth about its disk was said", async ({
  house,
  page,
}) => {
  const folder = house.place("Old letters");
  fs.mkdirSync(folder);
  fs.writeFileSync(`${folder}/one.txt`, "Dear Jonas");
  await signIn(page, house);
  await choose(page, page.getByRole("treeitem", { name: "Old letters" }), "Overwrite and remove…");
  const dialog = page.getByRole("dialog", { name: "Overwrite and remove “Old letters”" });
  await expect(dialog.getByRole("region", { name: "What overwriting does on this disk" })).not.toBeEmpty();
  expect(await violations(page)).toEqual([]);
  await dialog.getByRole("radio", { name: "Three times" }).check();
  await dialog.getByRole("button", { name: "Overwrite and remove" }).click();
  await expect(dialog.getByRole("status")).toHaveText("One file was overwritten and removed.");
  await dialog.getByRole("button", { name: "Close" }).last().click();
  await expect(page.getByRole("treeitem", { name: "Old letters" })).toHaveCount(0);
  expect(fs.existsSync(folder)).toBe(false);
});

test("what was chosen in the file manager is asked about once, and an address by itself asks for nothing", async ({
  house,
  page,
}) => {
  const folder = house.place("Old letters");
  fs.mkdirSync(folder);
  await signIn(page, house);
  await expect(page.getByRole("treeitem", { name: "Old letters" })).toBeVisible();
  const asked = `${new URL(page.url()).origin}/?asked=overwrite`;
  await page.goto(asked);
  await expect(page).toHaveURL(/\/$/);
  await expect(page.getByRole("heading", { name: "Your folders" })).toBeVisible();
  await expect(page.getByRole("dialog")).toHaveCount(0);
  expect(house.eremos(["menu", "overwrite", folder]).status).toBe(0);
  await page.goto(asked);
  await page
    .getByRole("dialog", { name: "Overwrite and remove “Old letters”" })
    .getByRole("button", { name: "Not now" })
    .click();
  expect(fs.existsSync(folder)).toBe(true);
});

test("a first lock overwrites the readable copy where that is chosen, and so do the next ones", async ({
  house,
  page,
}) => {
  await signIn(page, house);
  await choose(page, page.getByRole("treeitem", { name: "Cello fund" }), "Protect…");
  const dialog = page.getByRole("dialog");
  await dialog.getByRole("button", { name: "Choose guard and visibility" }).click();
  await dialog.getByLabel("Overwrite the readable copy when it has been locked").check();
  await dialog.getByRole("button", { name: "Lock Cello fund" }).click();
  await expect(card(page, "Cello fund")).toContainText("Locked");
  await choose(page, card(page, "Cello fund"), "Details");
  await expect(page.getByLabel("The readable copy, when it locks, is")).toHaveValue("1");
});
