import * as fs from "node:fs";
import * as path from "node:path";
import type { Locator, Page } from "@playwright/test";
import { homeEnvironment, leaveTraces } from "../demo/src/traces";
import { violations } from "./accessible";
import { type House, PASSWORD, card, expect, signIn, test } from "./house";

/** A desktop that remembers the demo world, and two folders of it locked. */
async function remembered(house: House): Promise<string> {
  const home = path.join(house.base, "home");
  leaveTraces(house.world, home);
  house.desktop = homeEnvironment(home);
  await house.stop();
  await house.start();
  for (const folder of ["Workshop/Payroll", "Home/Adoption papers"])
    expect(house.eremos(["lock", house.place(folder)]).status).toBe(0);
  return home;
}

/** Every file of a home, and what is in it. */
function everything(home: string): ReadonlyMap<string, string> {
  const files = fs
    .readdirSync(home, { recursive: true, encoding: "utf8" })
    .filter((name) => fs.statSync(path.join(home, name)).isFile());
  return new Map(files.sort().map((name) => [name, fs.readFileSync(path.join(home, name), "latin1")]));
}

const of = (page: Page, name: string): Locator => page.getByRole("region", { name });

test("traces of every folder are found, those chosen are cleared, and they come back byte for byte", async ({
  house,
  page,
}) => {
  const home = await remembered(house);
  const before = everything(home);
  const folder = house.place("Workshop/Payroll");
  expect([...before.values()].filter((content) => content.includes("Payroll")).length).toBeGreaterThan(3);
  await signIn(page, house);
  await card(page, "Payroll").click();
  await of(page, "Onlooker").getByRole("link", { name: "5 traces of Payroll elsewhere" }).click();
  await expect(
    of(page, "Who could get at it").getByText("1 readable piece of its contents lies elsewhere"),
  ).toBeVisible();
  await page.getByRole("link", { name: "Traces", exact: true }).click();
  await page.getByRole("button", { name: "Look for traces of all" }).click();
  const payroll = of(page, "Payroll");
  await expect(payroll.getByText("7 traces were found.")).toBeVisible();
  await expect(of(page, "Adoption papers").getByText("8 traces were found.")).toBeVisible();
  await payroll.getByText("Shell histories").click();
  await expect(payroll.getByText(`cd "${folder}"`)).toBeVisible();
  // What is only called the same is shown, and not chosen.
  await expect(payroll.getByRole("checkbox", { name: 'cat "bank details.txt"' })).not.toBeChecked();
  expect(await violations(page)).toEqual([]);

  await page.clock.install();
  await payroll.getByRole("checkbox", { name: "Choose Bookmarks" }).uncheck();
  await payroll.getByRole("button", { name: "Clear 3 traces" }).click();
  await expect(page.getByText("3 traces of Payroll were cleared, and can be put back for seven days.")).toBeVisible();
  await expect(payroll.getByText("4 traces were found.")).toBeVisible();
  await expect(payroll.getByText("Eremos looks again in a minute")).toBeVisible();
  const naming = (content: string): boolean => content.includes("Workshop/Payroll");
  const left = [...everything(home)].filter(([, content]) => naming(content));
  expect(left.map(([name]) => name)).toEqual([".config/gtk-3.0/bookmarks"]);
  expect(fs.existsSync(path.join(home, ".local/share/Trash/files/old hours.csv"))).toBe(false);

  // A shell that ends writes its history back: that is seen a minute later.
  fs.writeFileSync(path.join(home, ".bash_history"), before.get(".bash_history") ?? "", "latin1");
  await page.clock.fastForward(61_000);
  await expect(payroll.getByText("1 trace is back")).toBeVisible();

  const kept = page.getByRole("list", { name: "Cleared, and kept" });
  await expect(kept.getByText("3 traces, kept 7 more days")).toBeVisible();
  await kept.getByRole("button", { name: "Put back" }).click();
  await expect(page.getByText(/lists and files are as before\./)).toBeVisible();
  expect(everything(home)).toEqual(before);
  await expect(page.getByText("Nothing that was cleared is kept.")).toBeVisible();
});

test("what the rules of a folder say is cleared by itself each time it locks, and of no other folder", async ({
  house,
  page,
}) => {
  const home = await remembered(house);
  await signIn(page, house);
  await card(page, "Payroll").click();
  await card(page, "Payroll").getByRole("link", { name: "Details" }).click();
  const traces = of(page, "Traces elsewhere");
  await traces.getByRole("checkbox", { name: "Shell histories" }).check();
  await expect(traces.getByText("For this folder alone.")).toBeVisible();
  await traces.getByRole("checkbox", { name: "Recent files" }).check();
  await expect(traces.getByRole("checkbox", { name: "Recent files" })).toBeEnabled();
  const history = path.join(home, ".bash_history");
  const before = fs.readFileSync(history, "utf8");
  expect(house.eremos(["unlock", house.place("Workshop/Payroll")], PASSWORD).status).toBe(0);
  expect(fs.readFileSync(history, "utf8")).toBe(before);
  // Nobody is signed in at the command line.
  const { stdout } = house.eremos(["lock", house.place("Workshop/Payroll")]);
  expect(stdout).toContain("2 traces of Payroll were cleared");
  expect(fs.readFileSync(history, "utf8")).toBe(
    before
      .split("\n")
      .filter((line) => !line.includes("Payroll"))
      .join("\n"),
  );
  expect(fs.readFileSync(path.join(home, ".config/gtk-3.0/bookmarks"), "utf8")).toContain("Payroll");
  expect(fs.readFileSync(path.join(home, ".local/share/recently-used.xbel"), "utf8")).toContain("Adoption%20papers");
  await traces.getByRole("button", { name: "Put back" }).click();
  await expect.poll(() => fs.readFileSync(history, "utf8")).toBe(before);
});
