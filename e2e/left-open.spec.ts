import * as fs from "node:fs";
import type { Page } from "@playwright/test";
import { violations } from "./accessible";
import { PASSWORD, card, expect, signIn, test } from "./house";

const openAnotherWay = async (page: Page, name: string, way: string): Promise<void> => {
  await card(page, name)
    .getByRole("button", { name: new RegExp(`^${name}`) })
    .click();
  await card(page, name).getByRole("button", { name: "Open in another way" }).click();
  await page.getByRole("menuitem", { name: way }).click();
  await expect(card(page, name).getByText("Open", { exact: true })).toBeVisible();
};

test("a folder is opened for a while, kept open longer, and asked about on the way out", async ({ page, house }) => {
  const payroll = house.place("Workshop", "Payroll");
  const inside = `${payroll}/2026`;
  const before = fs.readdirSync(payroll);
  expect(house.eremos(["lock", payroll, "--view"]).status).toBe(0);
  await signIn(page, house);

  await openAnotherWay(page, "Payroll", "For 15 minutes");
  await expect(card(page, "Payroll").getByText("Locks in 15 min")).toBeVisible();
  await card(page, "Payroll").getByRole("button", { name: "Keep open" }).click();
  await page.getByRole("menuitem", { name: "For another hour" }).click();
  await expect(card(page, "Payroll").getByText(/Locks in (1 h|60 min)/)).toBeVisible();
  await card(page, "Payroll").getByRole("button", { name: "Lock now" }).click();
  await expect(card(page, "Payroll").getByText("Locked", { exact: true })).toBeVisible();

  await openAnotherWay(page, "Payroll", "Ask me when I sign out");
  expect(fs.readdirSync(payroll)).toEqual(expect.arrayContaining(before));
  await page.getByRole("button", { name: "Sign out" }).click();
  const dialog = page.getByRole("dialog");
  await expect(dialog).toContainText("Payroll lies open.");
  expect(await violations(page)).toEqual([]);
  await dialog.getByRole("button", { name: "Lock and sign out" }).click();
  await expect(page.getByRole("button", { name: "Sign in" })).toBeVisible();
  await expect.poll(() => fs.existsSync(inside) || fs.readdirSync(payroll).length > 2).toBe(false);
});

test("what happens when it is left open is set for all and for one; a stop of Eremos locks it", async ({
  page,
  house,
}) => {
  const payroll = house.place("Workshop", "Payroll");
  expect(house.eremos(["lock", payroll, "--view"]).status).toBe(0);
  await signIn(page, house);
  await page.getByRole("link", { name: "Settings" }).click();
  await page.getByLabel("When nothing in it changes and no program holds its files, for").selectOption("an hour");
  await page.getByLabel("Sign out when the page was not touched for").selectOption("never");
  await page.getByRole("link", { name: "Desk" }).click();
  await card(page, "Payroll")
    .getByRole("button", { name: /^Payroll/ })
    .click();
  await card(page, "Payroll").getByRole("button", { name: "Open in place" }).click();
  await expect(card(page, "Payroll").getByText(/Locks in (1 h|60 min).* if it isn't used/)).toBeVisible();

  await card(page, "Payroll").getByRole("link", { name: "Details" }).click();
  await page.getByLabel("After it was open, used or not, for").selectOption("15 minutes");
  await expect(page.getByText("It locks by itself by rules of its own.")).toBeVisible();
  await expect(page.getByText(/Locks in 15 min/)).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await page.getByRole("button", { name: "As for all folders" }).click();
  await expect(page.getByText(/Locks in (1 h|60 min)/)).toBeVisible();

  await house.stop();
  expect(fs.readdirSync(payroll).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
  await house.start();
  await signIn(page, house);
  await expect(card(page, "Payroll").getByText("Locked", { exact: true })).toBeVisible();

  expect(house.eremos(["unlock", payroll], PASSWORD).status).toBe(0);
  await expect(card(page, "Payroll").getByText("Stays open until you lock it")).toBeVisible();
  expect(house.eremos(["close"]).stdout).toContain("1 locked.");
  await expect(card(page, "Payroll").getByText("Locked", { exact: true })).toBeVisible();
  await card(page, "Payroll")
    .getByRole("button", { name: /^Payroll/ })
    .click();

  await card(page, "Payroll").getByRole("link", { name: "Details" }).click();
  await page.getByRole("radio", { name: "Hidden in place" }).click();
  await expect(page.getByText("It is locked, and its name is gone from its place.")).toBeVisible();
  expect(fs.existsSync(payroll)).toBe(false);
  await page.getByRole("radio", { name: "In view" }).click();
  await expect(page.getByText("It is locked in view")).toBeVisible();
  expect(fs.readdirSync(payroll).sort()).toEqual([".eremos", "Locked with Eremos.html"]);
});

test("what the desktop tells is chosen: kinds, quiet hours, names; and what Eremos runs on is said", async ({
  page,
  house,
}) => {
  await signIn(page, house);
  await page.getByRole("link", { name: "Settings" }).click();
  const section = page.getByRole("region", { name: "Notifications" });
  await section.getByLabel("A folder was locked by itself").click();
  await expect(section.getByLabel("A folder was locked by itself")).not.toBeChecked();
  await section.getByLabel(/^Quiet hours/).click();
  await section.getByLabel("From").fill("23:30");
  await section.getByLabel("Names of folders in them").selectOption("Never");
  await expect(section.getByLabel("Names of folders in them")).toBeEnabled();
  expect(await violations(page)).toEqual([]);
  await page.reload();
  await expect(section.getByLabel("A check found damage")).toBeChecked();
  await expect(section.getByLabel("A folder was locked by itself")).not.toBeChecked();
  await expect(section.getByLabel("From")).toHaveValue("23:30");
  await expect(section.getByLabel("Until")).toHaveValue("07:00");
  await expect(section.getByLabel("Names of folders in them")).toHaveValue("never");
  await expect(page.getByText(/0\.1\.0, run from its sources/)).toBeVisible();
  await expect(page.getByText(`Node.js ${process.versions.node}`)).toBeVisible();
});
