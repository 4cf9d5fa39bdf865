import * as fs from "node:fs";
import { violations } from "./accessible";
import { PASSWORD, card, expect, signIn, test } from "./house";

const NEW = "half a cello and its bow";

test("another master password, chosen in Settings, opens the gate and every folder", async ({ page, house }) => {
  expect(house.eremos(["lock", house.place("Workshop", "Payroll"), "--view"]).status).toBe(0);
  await signIn(page, house);
  await page.getByRole("link", { name: "Settings" }).click();
  await page.getByRole("button", { name: "Change it…" }).click();
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel("Present master password").fill("not this one at all");
  await dialog.getByLabel("New master password").fill(NEW);
  await dialog.getByLabel("The same again").fill(NEW);
  await dialog.getByLabel("Hint (optional)").fill("two strings");
  await expect(dialog.getByText(/Time to guess it/)).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await dialog.getByRole("button", { name: "Change it" }).click();
  await expect(dialog.getByRole("alert")).toContainText("not the master password");
  await dialog.getByLabel("Present master password").fill(PASSWORD);
  await dialog.getByRole("button", { name: "Change it" }).click();
  // How long it takes is measured then, and is to be a while.
  await expect(page.getByText("The master password is changed, in every folder.")).toBeVisible();
  await expect(page.getByText("two strings")).toBeVisible();

  await page.getByRole("button", { name: "Sign out" }).click();
  await expect(page.getByText("two strings")).toBeVisible();
  await signIn(page, house, NEW);
  expect(house.eremos(["release", house.place("Workshop", "Payroll")], NEW).status).toBe(0);
  await page.getByRole("link", { name: "Activity" }).click();
  await expect(page.getByText("Master password changed")).toBeVisible();
});

test("a folder that a new master password has not reached is named in Ways back and Settings, and is caught up by the next sign-in", async ({
  page,
  house,
}) => {
  expect(house.eremos(["lock", house.place("Cello fund"), "--view"]).status).toBe(0);
  fs.renameSync(house.place("Cello fund"), house.place("away"));
  await signIn(page, house);
  await page.getByRole("link", { name: "Settings" }).click();
  await page.getByRole("button", { name: "Change it…" }).click();
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel("Present master password").fill(PASSWORD);
  for (const label of ["New master password", "The same again"]) await dialog.getByLabel(label).fill(NEW);
  await dialog.getByRole("button", { name: "Change it" }).click();
  await expect(page.getByText("1 folder out of reach")).toBeVisible();
  const section = page.getByRole("region", { name: "Master password", exact: true });
  await expect(section.getByText("One folder was out of reach")).toBeVisible();
  await page.getByRole("link", { name: "Ways back" }).click();
  const seen = page.getByRole("listitem").filter({ hasText: "Opened by what opened it before your last change" });
  await expect(seen).toContainText("Cello fund");
  await seen.getByRole("button", { name: "What to do" }).click();
  await expect(page.getByText("One folder was out of reach")).toBeVisible();

  fs.renameSync(house.place("away"), house.place("Cello fund"));
  await page.getByRole("button", { name: "Sign out" }).click();
  await signIn(page, house, NEW);
  await page.getByRole("link", { name: "Ways back" }).click();
  await expect(page.getByText("The recovery code was not tried yet")).toBeVisible();
  await expect(seen).toHaveCount(0);
});

test("the off-limits list is edited in Settings, and its defaults restored", async ({ page, house }) => {
  await signIn(page, house);
  await page.getByRole("link", { name: "Settings" }).click();
  await expect(page.getByRole("button", { name: "Take /etc off the list" })).toHaveCount(0);
  await page.getByLabel("Another path or pattern").fill(house.place("Workshop", "*"));
  await page.getByLabel("Why (optional)").fill("the apprentice works there");
  await page.getByRole("button", { name: "Put it on the list" }).click();
  await expect(page.getByText("the apprentice works there")).toBeVisible();
  const refused = house.eremos(["lock", house.place("Workshop", "Payroll"), "--json"]);
  expect([refused.status, refused.stdout]).toEqual([4, expect.stringContaining("off-limits")]);
  await page.getByRole("button", { name: "Restore the defaults" }).click();
  await expect(page.getByText("the apprentice works there")).toBeHidden();
  expect(house.eremos(["lock", house.place("Workshop", "Payroll"), "--view"]).status).toBe(0);
});

test("a synced folder is named in Settings, and the table of a folder in it tells what its provider sees", async ({
  page,
  house,
}) => {
  await signIn(page, house);
  expect(house.eremos(["lock", house.place("Home", "Recipes"), "--view"]).status).toBe(0);
  const provider = page.getByRole("row", { name: "The provider of a synced folder" });
  await card(page, "Recipes")
    .getByRole("button", { name: /Recipes/ })
    .click();
  await card(page, "Recipes").getByRole("link", { name: "Details" }).click();
  await expect(page.getByRole("row", { name: "Somebody holding the disk" })).toBeVisible();
  await expect(provider.getByRole("button", { name: /^no: It lies in no synced folder/ })).toHaveCount(5);
  await page.getByRole("link", { name: "Settings" }).click();
  await page.getByLabel("Another synced folder").fill(`${house.place("Home")}/`);
  await page.getByRole("button", { name: "Name it" }).click();
  await expect(page.getByRole("button", { name: `Take ${house.place("Home")} off the list` })).toBeVisible();
  await page.goBack();
  await expect(provider.getByRole("button", { name: /^yes/ }).first()).toBeVisible();
});

test("a PIN set in Settings leads back in after the page signed out by itself", async ({ page, house }) => {
  await signIn(page, house);
  await page.getByRole("link", { name: "Settings" }).click();
  await page.getByLabel("PIN for this session").fill("1234");
  await page.getByRole("button", { name: "Set it" }).click();
  await expect(page.getByText("would be tried first")).toBeVisible();
  await page.getByLabel("PIN for this session").fill("7319");
  await page.getByRole("button", { name: "Set it" }).click();
  await expect(page.getByLabel("Another PIN")).toBeVisible();
  await page.getByLabel("Sign out when the page was not touched for").selectOption("a minute");
  await expect(page.locator("input").and(page.getByLabel("PIN", { exact: true }))).toBeVisible();
  await page
    .locator("input")
    .and(page.getByLabel("PIN", { exact: true }))
    .fill("1111");
  await page.getByRole("button", { name: "Go on" }).click();
  await expect(page.getByText("2 more tries")).toBeVisible();
  await page
    .locator("input")
    .and(page.getByLabel("PIN", { exact: true }))
    .fill("7319");
  await page.getByRole("button", { name: "Go on" }).click();
  await expect(page.getByRole("heading", { name: "Settings" })).toBeVisible();
});

test("staying signed in leads past the gate after a restart, until one signs out oneself; the table of who sees what says what it costs", async ({
  page,
  house,
}) => {
  expect(house.eremos(["lock", house.place("Workshop", "Payroll"), "--view"]).status).toBe(0);
  await signIn(page, house);
  await page.getByRole("link", { name: "Settings" }).click();
  await page.getByRole("button", { name: "Turn it on…" }).click();
  await page.getByRole("dialog").getByLabel("Present master password").fill(PASSWORD);
  await page.getByRole("dialog").getByRole("button", { name: "Stay signed in" }).click();
  await expect(page.getByText("On: your key is kept in a file")).toBeVisible();
  await house.stop();
  await house.start();
  await page.goto(house.address);
  await expect(page.getByRole("heading", { name: "Your folders" })).toBeVisible();
  await card(page, "Payroll")
    .getByRole("button", { name: /Payroll/ })
    .click();
  await card(page, "Payroll").getByRole("link", { name: "Details" }).click();
  await expect(
    page
      .getByRole("row", { name: /Somebody holding the disk/ })
      .getByRole("button", { name: /You stay signed in/ })
      .first(),
  ).toBeVisible();
  await page.getByRole("button", { name: "Sign out" }).click();
  await expect(page.getByLabel("Master password")).toBeVisible();
  await page.reload();
  await expect(page.getByLabel("Master password")).toBeVisible();
});
