/// <reference lib="dom" />
import * as fs from "node:fs";
import * as path from "node:path";
import type { Page } from "@playwright/test";
import { violations } from "./accessible";
import { type House, PASSWORD, card, drop, expect, signIn, test } from "./house";

const entry = (page: Page, name: string): ReturnType<Page["getByRole"]> =>
  card(page, name).getByRole("button", { name: new RegExp(name) });

async function locked(house: House, ...names: readonly (readonly [string, string])[]): Promise<void> {
  for (const [place, name] of names) expect(house.eremos(["lock", house.place(place, name), "--view"]).status).toBe(0);
  return Promise.resolve();
}

test("several folders are chosen with Ctrl, Shift and the keyboard, opened, locked and released at once; each tells how it ended", async ({
  house,
  page,
}) => {
  const names = ["Bow stock", "Payroll", "Varnish notes"];
  await locked(house, ...names.map((name) => ["Workshop", name] as const));
  await signIn(page, house);
  await entry(page, "Bow stock").click();
  await entry(page, "Varnish notes").click({ modifiers: ["Shift"] });
  await expect(page.getByText("3 chosen")).toBeVisible();
  await entry(page, "Payroll").click({ modifiers: ["Control"] });
  await expect(page.getByRole("button", { name: "Open all 2 in place" })).toBeVisible();
  await entry(page, "Payroll").press(" ");
  expect(await violations(page)).toEqual([]);
  // One that can't be opened does not stop the others.
  const spoilt = house.place("Workshop", "Payroll", ".eremos", "packs");
  fs.renameSync(spoilt, `${spoilt}.away`);
  await page.getByRole("button", { name: "Open all 3 in place" }).click();
  await page.getByRole("button", { name: "Leave it locked" }).click();
  await expect(page.getByText("2 of 3 done, 1 not")).toBeVisible();
  await expect(page.getByRole("region", { name: "Opening" }).getByRole("listitem").first()).toContainText("Payroll");
  fs.renameSync(`${spoilt}.away`, spoilt);
  expect(fs.existsSync(house.place("Workshop", "Bow stock", "bows.csv"))).toBe(true);

  await page.getByRole("button", { name: "Lock all 2" }).click();
  await expect(page.getByText("2 of 2 done")).toBeVisible();
  expect(fs.existsSync(house.place("Workshop", "Bow stock", "bows.csv"))).toBe(false);
  await page.getByRole("button", { name: "Put this away" }).click();

  await page.getByRole("button", { name: "Release all 3…" }).click();
  const asked = page.getByRole("alertdialog");
  await expect(asked).toContainText(house.place("Workshop", "Varnish notes"));
  await asked.getByRole("button", { name: "Release all 3" }).click();
  await expect(page.getByText("3 of 3 done")).toBeVisible();
  for (const name of names) expect(fs.existsSync(house.place("Workshop", name, ".eremos"))).toBe(false);
  await expect(page.getByText("Nothing is protected yet")).toBeVisible();
});

test("the second click of a double click is for what the first hit, where a card above has closed and another button lies there now", async ({
  house,
  page,
}) => {
  await locked(house, ["Home", "Recipes"], ["Workshop", "Payroll"]);
  await signIn(page, house);
  await entry(page, "Payroll").click();
  // Recipes lies below: as it is chosen, the buttons of Payroll go, and Recipes moves up.
  const moved = await entry(page, "Recipes").evaluate(async (button) => {
    const { left, top, height } = button.getBoundingClientRect();
    const [clientX, clientY] = [left + 120, top + height / 2];
    const click = (detail: number): boolean | undefined =>
      document
        .elementFromPoint(clientX, clientY)
        ?.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true, clientX, clientY, detail }));
    click(1);
    for (let frame = 0; frame < 20 && button.getBoundingClientRect().top === top; frame++)
      await new Promise((resolve) => requestAnimationFrame(resolve));
    click(2);
    return button.getBoundingClientRect().top - top;
  });
  expect(moved).toBeLessThan(0);
  await expect(page.getByRole("heading", { name: "Visiting Recipes" })).toBeVisible();
});

test("Enter and a double click do what the state calls for; the menu and the command field have the rest; the table sorts", async ({
  house,
  page,
}) => {
  await locked(house, ["Workshop", "Payroll"], ["Workshop", "Bow stock"]);
  await signIn(page, house);
  await entry(page, "Bow stock").focus();
  await page.keyboard.press("ArrowDown");
  await expect(entry(page, "Payroll")).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "Visiting Payroll" })).toBeVisible();
  await page.getByRole("button", { name: "End the visit" }).click();
  await expect(page.getByRole("heading", { name: "Payroll", exact: true })).toBeVisible();
  await page.getByRole("link", { name: "Desk" }).first().click();

  await entry(page, "Bow stock").click({ button: "right" });
  await expect(page.getByRole("menuitem")).toHaveText([
    "Visit",
    "Open in place",
    "Details",
    "Show in the file manager",
    "Move files in…",
    "Hand over…",
    "Check every byte",
    "Change guard…",
    "Release…",
    "Remove…",
  ]);
  await page.getByRole("menuitem", { name: "Open in place" }).click();
  await expect(card(page, "Bow stock").getByText("Open", { exact: true })).toBeVisible();
  await page.keyboard.press("Control+k");
  await page.keyboard.type("lock now bow");
  await page.getByRole("option", { name: "Lock now Bow stock" }).click();
  await expect(card(page, "Bow stock").getByText("Locked", { exact: true })).toBeVisible();
  await page.keyboard.press("Control+k");
  await page.keyboard.type("settings off");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "Off-limits" })).toBeInViewport();

  await page.getByRole("link", { name: "Desk" }).first().click();
  await page.getByRole("button", { name: "Show as a table" }).click();
  const order = (): Promise<string[]> =>
    page.getByRole("article").evaluateAll((all) => all.map((one) => one.getAttribute("aria-label") ?? ""));
  // Twice, as quickly as somebody clicks who wants the other end first.
  for (let click = 0; click < 2; click++) await page.getByRole("button", { name: "Sort by Name" }).click();
  await expect.poll(order).toEqual(["Payroll", "Bow stock"]);
  expect(await violations(page)).toEqual([]);
  // It is so again the next time.
  await page.reload();
  await expect.poll(order).toEqual(["Payroll", "Bow stock"]);
});

test("a new private folder is locked before anything is in it; files are moved in without opening it, and taken back", async ({
  house,
  page,
}) => {
  await signIn(page, house);
  await page.getByRole("button", { name: "New private folder…" }).click();
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel("Its name").fill("Diary");
  await dialog.getByRole("button", { name: "Browse…" }).click();
  await page.getByRole("button", { name: "Home", exact: true }).click();
  await page.getByRole("button", { name: "Choose Home" }).click();
  await expect(dialog.getByLabel("Where it is to lie")).toHaveValue(house.place("Home"));
  expect(await violations(page)).toEqual([]);
  await dialog.getByRole("button", { name: "Make it, locked" }).click();
  await expect(card(page, "Diary").getByText("Locked", { exact: true })).toBeVisible();
  expect(fs.existsSync(house.place("Home", "Diary"))).toBe(false);

  const bows = house.place("Workshop", "Bow stock");
  const before = fs.readFileSync(path.join(bows, "bows.csv"), "utf8");
  await entry(page, "Diary").click({ button: "right" });
  await page.getByRole("menuitem", { name: "Move files in…" }).click();
  await dialog.getByLabel("File or folder to move").fill(`"${bows}"`);
  // It has left the Onlooker's listing behind the dialog.
  await expect(page.locator("bdi", { hasText: "Diary" })).toHaveCount(0);
  expect(await violations(page)).toEqual([]);
  await dialog.getByRole("button", { name: "Move 1 item in" }).click();
  await expect(page.getByText("18 files are in Diary, encrypted; their originals are gone.")).toBeVisible();
  expect(fs.existsSync(bows)).toBe(false);
  await page.getByRole("button", { name: "Take it back" }).click();
  await expect(page.getByText("18 files are back where they were.")).toBeVisible();
  expect(fs.readFileSync(path.join(bows, "bows.csv"), "utf8")).toBe(before);

  // Dropped on its card it goes in, too, and back in another session.
  const { x, y } = (await card(page, "Diary").boundingBox()) ?? { x: 0, y: 0 };
  await drop(page, [bows], { x: x + 30, y: y + 20 });
  await dialog.getByRole("button", { name: "Move 1 item in" }).click();
  await expect.poll(() => fs.existsSync(bows)).toBe(false);
  await page.getByRole("button", { name: "Sign out" }).click();
  await signIn(page, house);
  await card(page, "Diary").click({ button: "right" });
  await page.getByRole("menuitem", { name: "Take back what was moved in" }).click();
  await expect.poll(() => fs.existsSync(path.join(bows, "bows.csv"))).toBe(true);
  expect(fs.readFileSync(path.join(bows, "bows.csv"), "utf8")).toBe(before);
});

test("a text is written in a visit; of two edits at once none is lost, and what was typed when the visit ended is there in the next", async ({
  house,
  page,
}) => {
  await locked(house, ["Workshop", "Payroll"]);
  await signIn(page, house);
  await entry(page, "Payroll").dblclick();
  await page.getByRole("button", { name: "New text" }).click();
  await page.getByLabel("Name", { exact: true }).fill("plan.md");
  await page.getByRole("button", { name: "Make it" }).click();
  const text = page.getByRole("textbox", { name: "Text of the file" });
  await text.fill("# Plan");
  await page.keyboard.press("Control+s");
  await expect(page.getByText("plan.md is saved, encrypted.")).toBeVisible();
  expect(await violations(page)).toEqual([]);

  // Another program changes it over the drive.
  await page.getByRole("button", { name: "Use it as a drive" }).click();
  const drive = page.getByRole("dialog");
  const [, password, , address, user] = await drive.locator("dd").allTextContents();
  await page.keyboard.press("Escape");
  const { status } = await fetch(`${address ?? ""}plan.md`, {
    method: "PUT",
    body: "theirs",
    headers: { Authorization: `Basic ${Buffer.from(`${user ?? ""}:${password ?? ""}`).toString("base64")}` },
  });
  expect(status).toBe(204);
  await text.fill("mine");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByText("yours is saved beside it, as plan (another edit).md")).toBeVisible();
  await expect(page.getByRole("row", { name: "plan (another edit).md" })).toBeVisible();
  await page.getByRole("row", { name: /plan.md/ }).click();
  await expect(page.getByRole("complementary").getByText("theirs")).toBeVisible();

  await page.getByRole("button", { name: "Edit", exact: true }).click();
  await text.fill("not saved yet");
  await page.getByRole("button", { name: "End the visit" }).click();
  await page.getByRole("button", { name: "Visit", exact: true }).click();
  await page.getByRole("row", { name: /plan.md/ }).click();
  await expect(text).toHaveText("not saved yet");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByText("plan.md is saved, encrypted.").last()).toBeVisible();
  await page.getByRole("button", { name: "End the visit" }).click();
  expect(house.eremos(["unlock", house.place("Workshop", "Payroll")], PASSWORD).status).toBe(0);
  expect(fs.readFileSync(house.place("Workshop", "Payroll", "plan.md"), "utf8")).toBe("not saved yet");
  expect(fs.readFileSync(house.place("Workshop", "Payroll", "plan (another edit).md"), "utf8")).toBe("mine");
});

/** What docs/STEPS.md says of each way. */
function clicksWritten(): ReadonlyMap<string, number> {
  const rows = fs
    .readFileSync(new URL("../docs/STEPS.md", import.meta.url), "utf8")
    .matchAll(/^\| (.+?) \| (\d+) \|$/gm);
  return new Map([...rows].map(([, way = "", clicks]) => [way.split(":")[0] ?? way, Number(clicks)]));
}

test("the main ways take the clicks that docs/STEPS.md says, and no more", async ({ house, page }) => {
  await locked(house, ["Workshop", "Payroll"]);
  await signIn(page, house);
  await page.evaluate(() => {
    const counter = { clicks: 0 };
    Object.assign(window, { counter });
    // A double click is two.
    document.addEventListener("click", () => (counter.clicks += 1), true);
  });
  const clicks = (): Promise<number> =>
    page.evaluate(() => (window as unknown as { counter: { clicks: number } }).counter.clicks);
  const counted = new Map<string, number>();
  const went = async (way: string, go: () => Promise<void>): Promise<void> => {
    const before = await clicks();
    await go();
    counted.set(way, (await clicks()) - before);
  };
  const tree = (name: string): ReturnType<Page["getByRole"]> => page.getByRole("treeitem", { name });
  await went("lock a folder", async () => {
    await tree("Cello fund").click();
    await page.getByRole("button", { name: "Protect Cello fund…" }).click();
    await page.getByRole("button", { name: "Lock Cello fund" }).click();
    await expect(card(page, "Cello fund").getByText("Locked", { exact: true })).toBeVisible();
  });
  await went("lock three at once", async () => {
    await tree("Home").click();
    for (const name of ["Cloud drive", "Red stick"]) await tree(name).click({ modifiers: ["Control"] });
    await page.getByRole("button", { name: "Protect 3 items…" }).click();
    await page.getByRole("button", { name: /^Lock (all )?3/ }).click();
    await expect(page.getByText("3 of 3 done")).toBeVisible();
    // What is locked now is not offered to be protected once more.
    await expect(page.getByRole("button", { name: "Protect a folder…" })).toBeVisible();
  });
  await went("open a locked folder in place", async () => {
    await entry(page, "Cello fund").click();
    await card(page, "Cello fund").getByRole("button", { name: "Open in place", exact: true }).click();
    await expect(card(page, "Cello fund").getByText("Open", { exact: true })).toBeVisible();
  });
  await went("lock everything that lies open", async () => {
    await page.getByRole("button", { name: "Close up" }).click();
    await expect(card(page, "Cello fund").getByText("Locked", { exact: true })).toBeVisible();
  });
  await went("look into a locked folder", async () => {
    await entry(page, "Payroll").dblclick();
    await expect(page.getByRole("heading", { name: "Visiting Payroll" })).toBeVisible();
  });
  await page.getByRole("button", { name: "End the visit" }).click();
  await page.getByRole("link", { name: "Desk" }).first().click();
  await went("a file of a locked folder, read", async () => {
    await entry(page, "Payroll").dblclick();
    await page.getByRole("row", { name: "bank details.txt" }).getByRole("button").click();
    await expect(page.getByRole("complementary").getByText("Ines Varga: account")).toBeVisible();
  });
  expect(counted).toEqual(clicksWritten());
});
