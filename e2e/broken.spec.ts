import * as fs from "node:fs";
import * as path from "node:path";
import { violations } from "./accessible";
import { PASSWORD, card, expect, signIn, test } from "./house";

test("an insured folder that a bad disk spoilt: the check names the file and its bytes, the repair brings every byte back", async ({
  page,
  house,
}) => {
  const folder = house.place("Workshop", "Instrument photos");
  expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
  await signIn(page, house);
  await card(page, "Instrument photos").click();
  await page.getByRole("link", { name: "Details" }).click();
  await page.getByRole("button", { name: "Insure it…" }).click();
  expect(await violations(page, "[role=dialog]")).toEqual([]);
  await page.getByRole("dialog").getByRole("button", { name: "Insure it" }).click();
  await expect(page.getByText(/Repairs damage of up to 1\.\d MB in one place/)).toBeVisible();
  const packs = path.join(folder, ".eremos", "packs");
  const [largest = ""] = fs
    .readdirSync(packs, { recursive: true, encoding: "utf8" })
    .map((name) => path.join(packs, name))
    .filter((file) => fs.statSync(file).isFile())
    .sort((a, b) => fs.statSync(b).size - fs.statSync(a).size);
  const whole = fs.readFileSync(largest);
  fs.writeFileSync(largest, Buffer.from(whole).fill(0x77, 300_000, 700_000));
  await page.getByRole("button", { name: "Check every byte" }).click();
  await expect(
    page.getByRole("region", { name: "Health" }).getByText(/is damaged in \d+ places?: .*bytes [\d,]+ to [\d,]+/),
  ).toBeVisible();
  await page.getByRole("button", { name: "Find and repair" }).click();
  await expect(page.getByRole("region", { name: "Health" }).getByText("repaired, byte for byte")).toBeVisible();
  expect(fs.readFileSync(largest).equals(whole)).toBe(true);
  await page.getByRole("button", { name: "Check every byte" }).click();
  await expect(page.getByRole("region", { name: "Health" }).getByText("every byte checked")).toBeVisible();
  for (const name of ["header.json", "header.twin.json"])
    fs.writeFileSync(path.join(folder, ".eremos", name), "spoilt by a bad disk");
  await page.getByRole("button", { name: "Repair its notes" }).click();
  await expect(page.getByText("Repaired: the note of how it opens.")).toBeVisible();
  expect(house.eremos(["unlock", folder], PASSWORD).status).toBe(0);
  const photo = path.join(folder, "IMG_1201.jpg");
  const { mode } = fs.statSync(photo);
  fs.chmodSync(photo, 0o111);
  await page.getByRole("link", { name: "Ways back" }).click();
  await page.getByRole("button", { name: "I no longer have permission" }).click();
  await page.getByRole("button", { name: "Look at the permissions of Instrument photos" }).click();
  await expect(page.getByText(/IMG_1201\.jpg: noted 644.*now 111/)).toBeVisible();
  await page.getByRole("button", { name: "Set back" }).click();
  await expect(page.getByText("You get at it, and all")).toBeVisible();
  expect(fs.statSync(photo).mode).toBe(mode);
  expect(await violations(page)).toEqual([]);
});

test("what was hidden by hand and by a home-made lock is found, brought back, and hidden again as it was; a second copy gives what it has", async ({
  page,
  house,
}) => {
  const by = house.place("Home", "By hand");
  fs.mkdirSync(path.join(by, ".Letters"), { recursive: true });
  fs.writeFileSync(path.join(by, ".Letters", "letter.txt"), "Dear Ines");
  fs.mkdirSync(path.join(by, "Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}"));
  fs.writeFileSync(
    path.join(by, "lock.bat"),
    'ren Private "Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}"\r\nattrib +h +s "Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}"\r\nif NOT %pass%==fiddle goto END\r\n',
  );
  const folder = house.place("Home", "Recipes");
  expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
  const copy = `${folder} (copy)`;
  fs.cpSync(folder, copy, { recursive: true, preserveTimestamps: true });
  expect(house.eremos(["unlock", folder], PASSWORD).status).toBe(0);
  fs.rmSync(path.join(folder, "lentil soup.txt"));
  expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);

  await signIn(page, house);
  await page.getByRole("link", { name: "Ways back" }).click();
  await page.getByRole("button", { name: /I hid something by hand/ }).click();
  await page.getByRole("button", { name: "Look for hidden things" }).click();
  await expect(page.getByText("The password in it protects nothing")).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await page.getByRole("button", { name: "Bring the folder back and remove the script" }).click();
  await expect(page.getByText("and the script is gone")).toBeVisible();
  expect(house.ls(by).sort()).toEqual(["Private"]);
  await page.getByRole("button", { name: `Bring ${path.join(by, ".Letters")} back` }).click();
  await expect(page.getByText("It is to be seen again")).toBeVisible();
  expect(house.ls(by).sort()).toEqual(["Letters", "Private"]);
  await page.getByRole("button", { name: `Hide ${path.join(by, "Letters")} again` }).click();
  await expect(page.getByText("It is hidden again as it was.")).toBeVisible();
  expect(house.ls(by)).toEqual(["Private"]);

  await page.getByRole("button", { name: "The folder or the drive was moved, or renamed" }).click();
  await page.getByRole("button", { name: "Look for my folders" }).click();
  await page.getByRole("listitem").filter({ hasText: copy }).getByRole("button", { name: "Compare…" }).click();
  await expect(page.getByText("This copy is older: it was locked 1 time, Recipes at its place 2 times.")).toBeVisible();
  await expect(page.getByRole("list", { name: "What this copy has" })).toContainText("lentil soup.txt");
  expect(await violations(page, "[role=dialog]")).toEqual([]);
  await page.getByRole("button", { name: "Take 1 file into Recipes" }).click();
  await expect(page.getByText("One file was taken into Recipes, encrypted; nothing of it was replaced.")).toBeVisible();
  expect(house.eremos(["release", folder], PASSWORD).status).toBe(0);
  expect(fs.readdirSync(folder)).toContain("lentil soup.txt");
});
