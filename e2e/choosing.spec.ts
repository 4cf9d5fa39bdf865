import * as fs from "node:fs";
import * as path from "node:path";
import { violations } from "./accessible";
import { PASSWORD, card, drop, expect, protect, signIn, test } from "./house";

const modeOf = (file: string): number => fs.statSync(file).mode & 0o777;

test("whom it is meant to stop: other accounts, by rules that change while it is locked", async ({ page, house }) => {
  const payroll = house.place("Workshop", "Payroll");
  // Other accounts get as far as the folder.
  for (const directory of [house.base, house.world, house.place("Workshop"), payroll]) fs.chmodSync(directory, 0o755);
  const [letter] = fs
    .readdirSync(payroll, { withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) => path.join(payroll, entry.name));
  if (!letter) throw new Error("the demo world has no file there");
  fs.chmodSync(letter, 0o644);
  await signIn(page, house);
  await page.getByRole("button", { name: "Protect a folder…" }).last().click();
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel("Folder or file").fill(payroll);
  await expect(dialog.getByText("Sealed, hidden in place.")).toBeVisible();
  await dialog.getByRole("radio", { name: "Other accounts on this computer" }).click();
  await expect(dialog.getByText("Barred, in view: others may do nothing.")).toBeVisible();
  await dialog.getByRole("button", { name: "Choose guard and visibility" }).click();
  await expect(dialog.getByRole("radio", { name: "Barred" })).toBeChecked();
  expect(await violations(page)).toEqual([]);
  await dialog.getByRole("radio", { name: "Out of sight" }).click();
  await expect(dialog.getByRole("radio", { name: "Hidden in place" })).toBeChecked();
  await expect(dialog.getByRole("radio", { name: "In view" })).toBeDisabled();
  await dialog.getByRole("radio", { name: "Barred" }).click();
  await dialog.getByRole("radio", { name: "In view" }).click();
  await dialog.getByRole("button", { name: "Lock Payroll" }).click();
  await expect(card(page, "Payroll").getByText("Locked", { exact: true })).toBeVisible();
  await expect(card(page, "Payroll")).toContainText("barred, in view: others may do nothing");
  expect([modeOf(payroll), modeOf(letter)]).toEqual([0o700, 0o644]);

  await card(page, "Payroll").getByRole("link", { name: "Details" }).click();
  const row = (name: string): ReturnType<typeof page.getByRole> => page.getByRole("row", { name });
  await expect(
    row("Another account here").getByRole("button", { name: "no: The system refuses: no file in it may be read." }),
  ).toBeVisible();
  await expect(
    row("An administrator").getByRole("button", { name: "yes: Permissions don't stop an administrator." }),
  ).toHaveCount(4);
  await page.getByLabel("This account itself may").selectOption("read it");
  await page.getByLabel("Other accounts may").selectOption("read it");
  await expect(page.getByText("barred, in view: others may read it, this account may read it")).toBeVisible();
  await expect(row("Another account here").getByRole("button", { name: "yes: The permissions allow it." })).toHaveCount(
    1,
  );
  expect([modeOf(payroll), modeOf(letter)]).toEqual([0o555, 0o444]);
  expect(await violations(page)).toEqual([]);
  await page.getByRole("radio", { name: "Tucked away" }).click();
  await expect(
    page.getByText("It is tucked away, and nothing is left at its place, and the system refuses"),
  ).toBeVisible();
  expect(fs.existsSync(payroll)).toBe(false);

  await page.getByRole("radio", { name: "Sealed" }).click();
  await expect(page.getByRole("alertdialog").getByText("Until that is done no other account gets in")).toBeVisible();
  await page.getByRole("alertdialog").getByRole("button", { name: "Seal it" }).click();
  await expect(page.getByText("It is locked and tucked away")).toBeVisible();
  await expect(
    row("Somebody holding the disk").getByRole("button", { name: "no: What is in it is encrypted, its names too." }),
  ).toHaveCount(2);
  await page.getByRole("radio", { name: "Barred" }).click();
  await page.getByRole("alertdialog").getByRole("button", { name: "Leave as it is" }).click();
  await expect(page.getByText("It is locked and tucked away")).toBeVisible();
  await page.getByRole("radio", { name: "Barred" }).click();
  await expect(page.getByRole("alertdialog").getByText("After that it is not encrypted")).toBeVisible();
  await page.getByRole("alertdialog").getByRole("button", { name: "Change it" }).click();
  await expect(
    page.getByText("It is tucked away, and nothing is left at its place, and the system refuses"),
  ).toBeVisible();

  await page.getByRole("button", { name: "Open in place" }).click();
  await expect(page.getByText("It lies open at its place")).toBeVisible();
  expect([modeOf(payroll), modeOf(letter)]).toEqual([0o755, 0o644]);
  await page.getByRole("radio", { name: "Sealed" }).click();
  await expect(page.getByText("What you choose holds from its next lock on.")).toBeVisible();
  await expect(page.getByRole("radio", { name: "Sealed" })).toBeChecked();
  await page.getByRole("button", { name: "Lock now" }).click();
  await expect(page.getByText("It is locked and tucked away")).toBeVisible();
  await expect(
    row("Somebody holding the disk").getByRole("button", { name: "no: What is in it is encrypted, its names too." }),
  ).toHaveCount(2);
  expect(house.eremos(["unlock", payroll], PASSWORD).status).toBe(0);
  expect(modeOf(letter)).toBe(0o644);
});

test("glances: out of sight from the page, and back from the command line", async ({ page, house }) => {
  const surprise = house.place("Home", "Surprise for Jonas");
  const before = fs.readdirSync(surprise);
  await signIn(page, house);
  await protect(page, surprise, "Tucked away", "Out of sight");
  await expect(card(page, "Surprise for Jonas")).toContainText("out of sight, tucked away");
  await expect(card(page, "Surprise for Jonas").getByText("Locked", { exact: true })).toBeVisible();
  expect(fs.existsSync(surprise)).toBe(false);
  expect(house.eremos(["release", surprise], PASSWORD).stdout).toContain(
    "is an ordinary folder again, with the permissions it had.",
  );
  expect(fs.readdirSync(surprise)).toEqual(before);
  await expect(card(page, "Surprise for Jonas")).toBeHidden();
});

test("a drive that is away shows its folders as away, and they come back with it", async ({ page, house }) => {
  const stick = house.place("Red stick");
  const [name = ""] = fs
    .readdirSync(stick, { withFileTypes: true })
    .filter((entry) => entry.isDirectory())
    .map((entry) => entry.name);
  expect(house.eremos(["lock", path.join(stick, name), "--view"]).status).toBe(0);
  fs.renameSync(stick, `${house.base}/pulled out`);
  await signIn(page, house);
  await expect(page.getByRole("heading", { name: "Away" })).toBeVisible();
  await card(page, name)
    .getByRole("button", { name: new RegExp(`^${name}`) })
    .click();
  await expect(card(page, name).getByRole("button", { name: "Open in place" })).toBeHidden();
  await card(page, name).getByRole("link", { name: "Details" }).click();
  await expect(page.getByText("Its drive is away, or the folder it lies in is.")).toBeVisible();
  fs.renameSync(`${house.base}/pulled out`, stick);
  await page.reload();
  await expect(page.getByText("It is locked in view")).toBeVisible();
});

test("a folder dropped from the file manager is found on the disk; where two match, it is asked which; a single file too, and a package to be received", async ({
  page,
  house,
}) => {
  await signIn(page, house);
  const dialog = page.getByRole("dialog");
  await drop(page, [house.place("Home", "Adoption papers")]);
  await expect(dialog.getByLabel("Folder or file")).toHaveValue(house.place("Home", "Adoption papers"));
  await dialog.getByRole("button", { name: "Not now" }).click();

  fs.cpSync(house.place("Workshop", "Payroll"), house.place("Home", "Payroll"), { recursive: true });
  await drop(page, [house.place("Workshop", "Payroll")]);
  await expect(dialog.getByText("Which one is it?")).toBeVisible();
  await dialog.getByRole("button", { name: house.place("Home", "Payroll") }).click();
  await expect(dialog.getByLabel("Folder or file")).toHaveValue(house.place("Home", "Payroll"));
  await dialog.getByRole("button", { name: "Not now" }).click();

  await drop(page, [house.place("Cloud drive", "suppliers.md")]);
  await dialog.getByRole("button", { name: "Lock suppliers.md" }).click();
  await expect(page.getByText(/suppliers\.md is sealed/)).toBeVisible();
  expect(house.ls(house.place("Cloud drive"))).not.toContain("suppliers.md");
  await card(page, "suppliers.md").getByRole("button", { name: "Open in place" }).click();
  await expect(page.getByText(/suppliers\.md is open at its place/)).toBeVisible();
  expect(fs.readFileSync(house.place("Cloud drive", "suppliers.md"), "utf8")).toContain("tonewood");

  await page.getByRole("link", { name: "Hand-over" }).click();
  await expect(page.getByRole("heading", { name: "Hand-over", exact: true })).toBeVisible();
  await drop(page, [house.place("Cloud drive", "Concert programmes.zip")]);
  await expect(page.getByLabel("The package", { exact: true })).toHaveValue(
    house.place("Cloud drive", "Concert programmes.zip"),
  );
});

test("several are dropped at once: listed with what each holds, one choice, one click; what lies in another goes along", async ({
  page,
  house,
}) => {
  await signIn(page, house);
  const inside = house.place("Workshop", "Payroll", "2025");
  await drop(page, [house.place("Home", "Adoption papers"), house.place("Workshop", "Payroll"), inside]);
  const dialog = page.getByRole("dialog", { name: "Protect several" });
  const chosen = dialog.getByRole("listitem");
  await expect(chosen).toHaveText([/Adoption papers\d+ files/, /Payroll\d+ files/, /2025Goes along with Payroll/]);
  await expect(dialog.getByRole("button", { name: "Lock 2" })).toBeEnabled();
  await dialog.getByRole("button", { name: "Leave Adoption papers out" }).click();
  await expect(dialog.getByRole("button", { name: "Lock 1" })).toBeEnabled();
  await dialog.getByRole("button", { name: "Not now" }).click();

  await drop(page, [house.place("Home", "Adoption papers"), house.place("Workshop", "Payroll")]);
  await dialog.getByRole("button", { name: "Lock 2" }).click();
  await expect(card(page, "Adoption papers").getByText("Locked", { exact: true })).toBeVisible();
  await expect(card(page, "Payroll").getByText("Locked", { exact: true })).toBeVisible();
  expect(house.ls(house.place("Workshop"))).not.toContain("Payroll");
  expect(house.ls(house.place("Home"))).not.toContain("Adoption papers");
});

test("a drive's whole contents: away when it is taken out, back by itself at another place, opened there", async ({
  page,
  house,
}) => {
  await signIn(page, house);
  const listing = house.ls(house.place("Red stick"), "-R");
  await protect(page, house.place("Red stick"), "In view");
  await expect(page.getByText(/Red stick is sealed/)).toBeVisible();
  house.stick.takeOut();
  await expect(card(page, "Red stick").getByText("Away")).toBeVisible();
  house.stick.putIn(house.place("Stick of another colour"));
  await card(page, "Stick of another colour").getByRole("button", { name: "Stick of another colour" }).click();
  await card(page, "Stick of another colour").getByRole("button", { name: "Open in place" }).click();
  await expect(page.getByText(/Stick of another colour is open at its place/)).toBeVisible();
  await card(page, "Stick of another colour").getByRole("link", { name: "Details" }).click();
  await page.getByRole("button", { name: "Release…" }).click();
  await page.getByRole("alertdialog").getByRole("button", { name: "Release it" }).click();
  await expect(page.getByText("Nothing is protected yet")).toBeVisible();
  expect(
    house.ls(house.place("Stick of another colour"), "-R").join().replaceAll("Stick of another colour", "Red stick"),
  ).toBe(listing.join());
});

test("a cover name and an icon are chosen with the lock, and another name on the folder's page while it is locked", async ({
  page,
  house,
}) => {
  await signIn(page, house);
  await page.getByRole("button", { name: "Protect a folder…" }).last().click();
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel("Folder or file").fill(house.place("Home", "Adoption papers"));
  await dialog.getByRole("button", { name: "Choose guard and visibility" }).click();
  await dialog.getByRole("radio", { name: "In view" }).click();
  await dialog.getByLabel("Cover name").fill("Old bills");
  await dialog.getByLabel("Icon").selectOption("an address book");
  await dialog.getByRole("button", { name: "Lock Adoption papers" }).click();
  await expect(page.getByText(/it is called Old bills now/)).toBeVisible();
  expect(house.ls(house.place("Home"))).toEqual(["Garden plans", "Old bills", "Recipes", "Surprise for Jonas"]);
  expect(fs.readFileSync(house.place("Home", "Old bills", ".directory"), "utf8")).toContain(
    "Icon=x-office-address-book",
  );

  await card(page, "Adoption papers").getByRole("link", { name: "Details" }).click();
  await expect(page.getByText("stands at its place as Old bills")).toBeVisible();
  await page.getByLabel("Cover name").fill("Recipes");
  await page.getByRole("button", { name: "Use it" }).click();
  await expect(page.getByText("There is something called Recipes beside the folder already")).toBeVisible();
  await page.getByLabel("Cover name").fill("Seed lists");
  await page.getByLabel("Cover name").press("Enter");
  await expect(page.getByText("stands at its place as Seed lists")).toBeVisible();
  expect(house.ls(house.place("Home"))).toEqual(["Garden plans", "Recipes", "Seed lists", "Surprise for Jonas"]);
  await page.getByRole("button", { name: "Open in place" }).first().click();
  await expect(page.getByText(/Adoption papers is open at its place/).first()).toBeVisible();
  expect(house.ls(house.place("Home"))).toEqual(["Adoption papers", "Garden plans", "Recipes", "Surprise for Jonas"]);
});
