/// <reference lib="dom" />
import * as fs from "node:fs";
import { type Reply, ask as send } from "../cli/test/ask";
import { violations } from "./accessible";
import { PASSWORD, expect, signIn, test } from "./house";

/** A request with exactly these headers, as a hostile page or program would send it. */
function ask(
  address: string,
  path: string,
  headers: Record<string, string>,
  method = "POST",
  body = "{}",
): Promise<Reply> {
  const given = Object.fromEntries(Object.entries(headers).map(([name, value]) => [name.toLowerCase(), value]));
  return send(address, path, { method, body, headers: { host: undefined, origin: undefined, ...given } });
}

test("the pages run only their own scripts, can't be framed, and keep nothing", async ({ house, page }) => {
  const { headers } = await ask(house.address, "/", { Host: new URL(house.address).host }, "GET");
  const policy = String(headers["content-security-policy"]);
  for (const part of ["default-src 'none'", "frame-ancestors 'none'", "base-uri 'none'"])
    expect(policy).toContain(part);
  expect(/script-src[^;]*/.exec(policy)?.[0]).not.toMatch(/unsafe-inline|unsafe-eval|\*|https?:/);
  expect(headers).toMatchObject({
    "x-content-type-options": "nosniff",
    "x-frame-options": "DENY",
    "referrer-policy": "no-referrer",
  });
  await signIn(page, house);
  await page.getByRole("treeitem", { name: "Cello fund" }).click();
  const kept = await page.evaluate(() => JSON.stringify([Object.entries(localStorage), document.title, location.href]));
  for (const secret of ["Cello", house.world, PASSWORD, "eremos-tab"]) expect(kept).not.toContain(secret);
  const injected = await page.evaluate(() => {
    const script = document.createElement("div");
    script.innerHTML = "<img src=x onerror=\"document.title='ran'\">";
    document.body.append(script);
    return new Promise<string>((resolve) => setTimeout(() => resolve(document.title), 300));
  });
  expect(injected).toBe("Eremos");
});

test("nothing listens beyond loopback", ({ house }) => {
  const port = Number(new URL(house.address).port).toString(16).toUpperCase().padStart(4, "0");
  const listening = ["/proc/net/tcp", "/proc/net/tcp6"]
    .flatMap((table) => fs.readFileSync(table, "utf8").split("\n"))
    .map((line) => line.trim().split(/\s+/))
    .filter(([, local = "", , state]) => state === "0A" && local.endsWith(`:${port}`))
    .map(([, local]) => local);
  expect(listening).toEqual([`0100007F:${port}`, `00000000000000000000000001000000:${port}`]);
});

/**
 * The transitions under way, by property and element. What just appears (a notice, a running job's bar) is an animation
 * and none of them.
 */
function transitions(): string[] {
  return [getComputedStyle(document.body).color, ...document.getAnimations()].flatMap((found) =>
    found instanceof CSSTransition
      ? [`${found.transitionProperty} of ${(found.effect as KeyframeEffect).target?.outerHTML.slice(0, 120)}`]
      : [],
  );
}

test("the screens meet the accessibility rules, light and dark, change theme at once where less motion is asked for, and work by keyboard", async ({
  house,
  page,
}) => {
  const accessible = async (where: string): Promise<void> => {
    for (const colorScheme of ["light", "dark"] as const) {
      await page.emulateMedia({ colorScheme, reducedMotion: "reduce" });
      // Nothing is on its way from one theme's colours to the other's: whoever asked for less motion sees them at once.
      expect(await page.evaluate(transitions)).toEqual([]);
      expect([`${where}, ${colorScheme}`, ...(await violations(page))]).toEqual([`${where}, ${colorScheme}`]);
    }
  };
  await page.goto(house.address);
  await expect(page.getByLabel("Master password")).toBeFocused();
  await accessible("gate");
  await page.keyboard.type(PASSWORD);
  await page.keyboard.press("Enter");
  await expect(page.getByText("Nothing is protected yet")).toBeVisible();
  await accessible("empty Desk");
  expect(house.eremos(["lock", house.place("Cello fund"), "--hide"]).status).toBe(0);
  expect(house.eremos(["lock", house.place("Home", "Recipes")]).status).toBe(0);
  expect(house.eremos(["unlock", house.place("Home", "Recipes")], PASSWORD).status).toBe(0);
  await page.getByRole("article", { name: "Cello fund" }).getByRole("button").first().click();
  await expect(page.getByText("Cello fund is not one of them.")).toBeVisible();
  await accessible("Desk");
  await page.getByRole("article", { name: "Cello fund" }).getByRole("link", { name: "Details" }).click();
  await expect(page.getByRole("rowheader", { name: "Somebody holding the disk" })).toBeVisible();
  await accessible("folder page");
  for (const view of ["Activity", "Settings"]) {
    await page.getByRole("link", { name: view }).click();
    await expect(page.getByRole("heading", { name: view, level: 1 })).toBeVisible();
    if (view === "Settings") await expect(page.getByRole("radio", { name: "Heavy" })).toBeVisible();
    await accessible(view);
  }
});
