import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import { snapshot } from "../core/test/support/world";
import { violations } from "./accessible";
import { PASSWORD, card, expect, signIn, test } from "./house";

test.describe("before there is an owner", () => {
  test.use({ hasOwner: false });
  test("first run, lock, look, wrong password, open, edit, lock again, release: the tree is as it was", async ({
    page,
    house,
  }) => {
    const payroll = house.place("Workshop", "Payroll");
    const before = snapshot(payroll);
    const errors: string[] = [];
    page.on("pageerror", (error) => errors.push(error.message));
    page.on(
      "console",
      (message) =>
        message.type() === "error" &&
        /Content Security Policy|Hydration/.test(message.text()) &&
        errors.push(message.text()),
    );

    await test.step("first run", async () => {
      await page.goto(house.address);
      await expect(page.getByRole("heading", { name: "Choose your master password" })).toBeVisible();
      for (const colorScheme of ["dark", "light"] as const) {
        await page.emulateMedia({ colorScheme, reducedMotion: "reduce" });
        expect([colorScheme, ...(await violations(page))]).toEqual([colorScheme]);
      }
      await page.emulateMedia({ colorScheme: null, reducedMotion: null });
      await page.getByLabel("Master password").fill("password1");
      await expect(page.getByText("Guessed at once.", { exact: true })).toBeVisible();
      await page.getByLabel("Master password").fill(PASSWORD);
      await page.getByLabel("The same again").fill(`${PASSWORD}x`);
      await expect(page.getByText("The two are not the same yet.")).toBeVisible();
      await expect(page.getByRole("button", { name: "Continue to the recovery code" })).toBeDisabled();
      await page.getByLabel("The same again").fill(PASSWORD);
      await page.getByLabel("Hint (optional)").fill("violin and varnish at dusk");
      await page.getByRole("button", { name: "Continue to the recovery code" }).click();
      await expect(page.getByRole("alert").filter({ hasText: "gives the password away" })).toBeVisible();
      await page.getByLabel("Hint (optional)").fill("what the workshop smells of");
      await page.getByRole("button", { name: "Continue to the recovery code" }).click();

      const code = page.getByRole("list", { name: "Recovery code" }).getByRole("listitem");
      await expect(code).toHaveCount(8);
      const groups = await code.allInnerTexts();
      await expect(page.getByRole("button", { name: "Print it" })).toBeVisible();
      const [sheet] = await Promise.all([
        page.waitForEvent("download"),
        page.getByRole("button", { name: "Save the sheet (PDF)" }).click(),
      ]);
      await sheet.saveAs(`${house.base}/sheet.pdf`);
      const printed = spawnSync("pdftotext", ["-layout", `${house.base}/sheet.pdf`, "-"], { encoding: "utf8" }).stdout;
      for (const group of groups) expect(printed).toContain(group.split("\n").at(-1));
      await page.getByRole("button", { name: "I have it on paper" }).click();
      await expect(page.getByRole("textbox")).toHaveCount(2);
      for (const field of await page.getByRole("textbox").all()) await field.fill("AAAAA");
      await page.getByRole("button", { name: "Finish" }).click();
      await expect(page.getByRole("alert").filter({ hasText: "not as on your sheet" })).toBeVisible();
      expect(fs.existsSync(`${house.data}/owner.json`)).toBe(false);
      for (const label of await page.locator("label").allInnerTexts()) {
        const number = Number(/\d/.exec(label)?.[0]);
        await page.getByLabel(label).fill(groups[number - 1]?.split("\n").at(-1)?.toLowerCase() ?? "");
      }
      await page.getByRole("button", { name: "Finish" }).click();
      await expect(page.getByText("Nothing is protected yet")).toBeVisible();
    });

    await test.step("lock from Places, and see it gone", async () => {
      await page.getByRole("button", { name: "Open Workshop" }).click();
      await page.getByRole("treeitem", { name: "Payroll" }).click();
      const listing = page.getByRole("list", { name: "Listing" });
      await expect(listing.getByText("Payroll")).toBeVisible();
      await page.getByRole("button", { name: "Protect Payroll…" }).click();
      await page.getByRole("button", { name: "Lock Payroll" }).click();
      await expect(page.getByText(/Payroll is sealed\. 193 files/)).toBeVisible();
      await expect(card(page, "Payroll").getByText("Locked", { exact: true })).toBeVisible();
      await expect(listing.getByText("Payroll")).toBeHidden();
      await expect(page.getByText("Payroll is not one of them.")).toBeVisible();
      expect(house.ls(house.place("Workshop")).sort()).toEqual([
        "Appraisals 2026",
        "Bow stock",
        "Instrument photos",
        "Varnish notes",
        "opening hours.md",
      ]);
      const all = house.ls(house.place("Workshop"), "-A");
      expect(all.filter((name) => name.startsWith("."))).toEqual([expect.stringMatching(/^\.[0-9a-f]{20}$/)]);
      await page.getByText("Holding the disk").click();
      await expect(page.getByText("Somebody holding the disk finds no Payroll")).toBeVisible();
      await page.getByText("At this keyboard").click();
    });

    await test.step("sign out, wrong password, the wait, and the count afterwards", async () => {
      await page.getByRole("button", { name: "Sign out" }).click();
      await expect(page.getByText("what the workshop smells of")).toBeVisible();
      await page.getByLabel("Master password").fill("something else");
      await page.getByRole("button", { name: "Sign in" }).click();
      await expect(page.getByText("That is not the master password.")).toBeVisible();
      await page.getByLabel("Master password").fill(PASSWORD);
      await expect(page.getByRole("button", { name: "Sign in" })).toBeEnabled();
      await page.getByRole("button", { name: "Sign in" }).click();
      await expect(page.getByText("1 wrong password since you were last here")).toBeVisible();
    });

    await test.step("open in place, edit with other programs, lock again", async () => {
      await card(page, "Payroll").getByRole("button").first().click();
      await card(page, "Payroll").getByRole("button", { name: "Open in place" }).click();
      await expect(card(page, "Payroll").getByText("Open", { exact: true })).toBeVisible();
      await expect(page.getByText("1 folder open")).toBeVisible();
      expect(snapshot(payroll, { withoutOwnDir: true })).toEqual(before);
      fs.appendFileSync(`${payroll}/bank details.txt`, "\nnew line");
      fs.rmSync(`${payroll}/2025/Pavel Hruza`, { recursive: true });
      fs.renameSync(`${payroll}/2025/Tomas Lind`, `${payroll}/2025/Tomas L.`);
      fs.writeFileSync(`${payroll}/added.txt`, "added");
    });
    const edited = snapshot(payroll, { withoutOwnDir: true });
    await card(page, "Payroll").getByRole("button", { name: "Lock now" }).click();
    await expect(card(page, "Payroll").getByText("Locked", { exact: true })).toBeVisible();
    expect(fs.existsSync(payroll)).toBe(false);

    await test.step("release", async () => {
      await card(page, "Payroll").getByRole("link", { name: "Details" }).click();
      await page.getByRole("button", { name: "Check every byte" }).click();
      await expect(page.getByText(/Payroll is whole: .* every byte checked/).first()).toBeVisible();
      await page.getByRole("button", { name: "Release…" }).click();
      await expect(page.getByRole("alertdialog")).toContainText("What goes");
      await page.getByRole("button", { name: "Release it" }).click();
      await expect(page.getByText(/Payroll is an ordinary folder again/)).toBeVisible();
    });
    expect(snapshot(payroll)).toEqual(edited);
    expect(house.ls(house.place("Workshop"), "-A").filter((name) => name.startsWith("."))).toEqual([]);
    expect(errors).toEqual([]);
  });
});

test("signed out at every start, and a reload keeps the session of this tab", async ({ page, house }) => {
  await signIn(page, house);
  await page.reload();
  await expect(page.getByRole("heading", { name: "Your folders" })).toBeVisible();
  const second = await page.context().newPage();
  await second.goto(house.address);
  await expect(second.getByRole("heading", { name: "Your folders" })).toBeVisible();
  await house.stop();
  await house.start();
  await expect(page.getByRole("heading", { name: "Eremos was stopped" })).toBeVisible();
  await page.goto(house.address);
  await expect(page.getByRole("heading", { name: "Welcome back" })).toBeVisible();
});
