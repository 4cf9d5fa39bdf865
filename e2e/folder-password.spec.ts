import * as fs from "node:fs";
import { violations } from "./accessible";
import { PASSWORD, card, expect, signIn, test } from "./house";

const OWN = "rosin on the left shelf";

test("a folder gets a password of its own when it is locked, opens with both, and with a new recovery code instead", async ({
  page,
  house,
}) => {
  const folder = house.place("Home", "Adoption papers");
  const listing = house.ls(folder, "-A");
  await signIn(page, house);
  await page.getByRole("button", { name: "Protect a folder…" }).last().click();
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel("Folder or file").fill(folder);
  await dialog.getByRole("button", { name: "Choose guard and visibility" }).click();
  await dialog.getByLabel("A password of its own as well").check();
  await dialog.getByLabel("Password of this folder").fill(OWN);
  await expect(dialog.getByRole("button", { name: "Lock Adoption papers" })).toBeDisabled();
  await dialog.getByLabel("The same again").fill(OWN);
  await dialog.getByLabel("Hint (optional)").fill("where it lies");
  expect(await violations(page)).toEqual([]);
  await dialog.getByRole("button", { name: "Lock Adoption papers" }).click();
  await expect(page.getByText(/Adoption papers is sealed/)).toBeVisible();

  await page.getByRole("link", { name: "Settings" }).click();
  await page.getByRole("button", { name: "New code…" }).click();
  await dialog.getByLabel("Present master password").fill(PASSWORD);
  await dialog.getByRole("button", { name: "Show me the new code" }).click();
  const code = dialog.getByRole("list", { name: "Recovery code" }).locator(".font-mono");
  await expect(code).toHaveCount(8);
  const groups = await code.allTextContents();
  await dialog.getByRole("button", { name: "I have it on paper" }).click();
  await expect(dialog.getByText("Is it really on paper?")).toBeVisible();
  for (const [i, group] of groups.entries()) {
    const field = dialog.getByLabel(`Group ${i + 1}`);
    if (await field.isVisible()) await field.fill(group);
  }
  await dialog.getByRole("button", { name: "Finish" }).click();
  await expect(page.getByText("Keep the earlier sheet")).toBeVisible();

  await page.getByRole("link", { name: "Desk" }).click();
  await card(page, "Adoption papers")
    .getByRole("button", { name: /Adoption papers/ })
    .click();
  await card(page, "Adoption papers").getByRole("button", { name: "Open in place" }).click();
  await expect(dialog.getByText("Hint: where it lies")).toBeVisible();
  await dialog.getByLabel("Password of this folder").fill("not this one at all");
  await dialog.getByRole("button", { name: "Open in place" }).click();
  await expect(dialog.getByText("not this folder's password")).toBeVisible();
  await dialog.getByLabel("Password of this folder").fill(OWN);
  await dialog.getByRole("button", { name: "Open in place" }).click();
  await expect(page.getByText(/Adoption papers is open at its place/)).toBeVisible();
  expect(house.ls(folder, "-A").filter((name) => name !== ".eremos")).toEqual(listing);
  await card(page, "Adoption papers").getByRole("button", { name: "Lock now" }).click();
  await expect(card(page, "Adoption papers").getByRole("button", { name: "Open in place" })).toBeVisible();

  await card(page, "Adoption papers").getByRole("link", { name: "Details" }).click();
  await page.getByRole("button", { name: "Release…" }).click();
  await page.getByRole("alertdialog").getByRole("button", { name: "Release it" }).click();
  await dialog.getByRole("button", { name: "use the recovery code" }).click();
  await dialog.getByLabel("Recovery code").fill(groups.join(" ").toLowerCase());
  await dialog.getByRole("button", { name: "Release it" }).click();
  await expect(page.getByText(/Adoption papers is an ordinary folder again/)).toBeVisible();
  expect(house.ls(folder, "-A")).toEqual(listing);
  expect(fs.existsSync(`${folder}/.eremos`)).toBe(false);
});
