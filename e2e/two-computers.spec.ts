import * as fs from "node:fs";
import * as path from "node:path";
import { violations } from "./accessible";
import { type House, PASSWORD, card, expect, signIn, test } from "./house";

/** What another computer brings of a state that it locked, as a program keeping both in step does. */
interface Brought {
  readonly notes: () => void;
  readonly contents: () => void;
}

/** The folder is locked here, and, from the state before, on another computer of the same owner. */
async function lockOnBoth(house: House, folder: string): Promise<Brought> {
  const [data, elsewhere] = [path.join(house.base, "data of the other"), path.join(house.base, "on the other")];
  const done = (...args: string[]): void => expect(house.eremos(args, PASSWORD).status).toBe(0);
  done("lock", folder, "--view");
  await house.stop();
  fs.cpSync(house.data, data, { recursive: true });
  fs.cpSync(folder, elsewhere, { recursive: true, preserveTimestamps: true });
  const change = (name: string): void => {
    done("unlock", folder);
    fs.writeFileSync(path.join(folder, name), `written as ${name}`);
    done("lock", folder);
  };
  change("here.txt");
  const here = path.join(house.base, "here");
  fs.renameSync(folder, here);
  fs.renameSync(elsewhere, folder);
  house.desktop = { EREMOS_DATA: data };
  change("there.txt");
  house.desktop = {};
  fs.renameSync(folder, elsewhere);
  fs.renameSync(here, folder);
  await house.start();
  const bring = (kinds: readonly string[]) => (): void => {
    for (const kind of kinds)
      fs.cpSync(path.join(elsewhere, ".eremos", kind), path.join(folder, ".eremos", kind), { recursive: true });
  };
  return { notes: bring(["generations", "manifests"]), contents: bring(["index", "packs"]) };
}

test("locked on two computers at once: what is on its way is said, the other's files are taken over, and its state goes after a question", async ({
  page,
  house,
}) => {
  const papers = house.place("Home", "Adoption papers");
  const brought = await lockOnBoth(house, papers);
  brought.notes();
  await signIn(page, house);
  await card(page, "Adoption papers").click();
  await page.getByRole("link", { name: "Details" }).click();
  const section = page.getByRole("region", { name: "Locked on two computers at once" });
  await expect(section).toContainText(/Still arriving: \d+ of \d+ pieces are here/);
  await section.getByRole("button", { name: "It is not needed any more" }).click();
  const question = page.getByRole("alertdialog");
  await expect(question).toContainText("Files that only that state has, or has otherwise, are gone then");
  await expect(question).toContainText("It is still arriving");
  expect(await violations(page)).toEqual([]);
  await question.getByRole("button", { name: "Leave as it is" }).click();
  brought.contents();
  await page.reload();
  await section.getByRole("button", { name: "Compare" }).click();
  await expect(page.getByRole("list", { name: /^What/ })).toContainText("there.txt");
  await page.getByRole("button", { name: "Take 1 file into Adoption papers" }).click();
  await expect(page.getByText(/One file was taken/)).toBeVisible();
  await section.getByRole("button", { name: "It is not needed any more" }).click();
  await expect(question).not.toContainText("It is still arriving");
  await question.getByRole("button", { name: "Let it go" }).click();
  await expect(section).toBeHidden();
  expect(house.eremos(["unlock", papers], PASSWORD).status).toBe(0);
  expect(["here.txt", "there.txt"].map((name) => fs.readFileSync(path.join(papers, name), "utf8"))).toEqual([
    "written as here.txt",
    "written as there.txt",
  ]);
});
