import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";
import type { Page } from "@playwright/test";
import { violations } from "./accessible";
import { type House, PASSWORD, expect, test } from "./house";

const PAGE = fileURLToPath(new URL("../rescue/dist/rescue.html", import.meta.url));

/** The page as it lies on a stick, with no server anywhere; without the way of saving that asks a person. */
async function openPage(page: Page, house: House): Promise<void> {
  const stick = house.place("stick");
  fs.mkdirSync(stick);
  fs.copyFileSync(PAGE, path.join(stick, "rescue.html"));
  await page.addInitScript(() => void Reflect.deleteProperty(globalThis, "showSaveFilePicker"));
  await page.goto(pathToFileURL(path.join(stick, "rescue.html")).toString());
}

const hiddenIn = (directory: string): string =>
  path.join(directory, fs.readdirSync(directory).find((name) => /^\.[0-9a-f]{20}$/.test(name)) ?? "");

async function takeAll(page: Page, house: House): Promise<Record<string, string>> {
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: "Take everything out as one ZIP" }).click(),
  ]);
  const archive = house.place(`taken ${Date.now()}.zip`);
  await download.saveAs(archive);
  const { stdout } = spawnSync(
    "python3",
    [
      "-c",
      "import hashlib, json, sys, zipfile; z = zipfile.ZipFile(sys.argv[1]); assert z.testzip() is None; print(json.dumps({i.filename: hashlib.sha256(z.read(i)).hexdigest() for i in z.infolist() if not i.is_dir()}))",
      archive,
    ],
    { encoding: "utf8" },
  );
  const { "eremos-manifest.json": _manifest, ...files } = JSON.parse(stdout) as Record<string, string>;
  return files;
}

function filesOf(folder: string): Record<string, string> {
  const { stdout } = spawnSync(
    "python3",
    [
      "-c",
      "import hashlib, json, os, sys; r = sys.argv[1]; print(json.dumps({os.path.relpath(os.path.join(d, f), r): hashlib.sha256(open(os.path.join(d, f), 'rb').read()).hexdigest() for d, _, fs in os.walk(r) for f in fs if not os.path.islink(os.path.join(d, f))}))",
      folder,
    ],
    { encoding: "utf8" },
  );
  return JSON.parse(stdout) as Record<string, string>;
}

test("a page on a stick, and no Eremos: the locked folder opens by the password and by the code, one file and everything come out", async ({
  page,
  house,
}) => {
  const folder = house.place("Home", "Adoption papers");
  const before = filesOf(folder);
  const recoveryCode = house.recoveryCode ?? "";
  const { shares } = JSON.parse(
    house.eremos(["keyholders", "2", "Tomas", "Mirela", "Pavel", "--json"], PASSWORD).stdout,
  ) as { shares: readonly { readonly share: string }[] };
  expect(house.eremos(["lock", folder, "--hide"]).status).toBe(0);
  await house.stop();
  const asked: string[] = [];
  page.on("request", (request) => asked.push(request.url()));
  await openPage(page, house);
  await page.setInputFiles("#folder", house.place("Workshop"));
  await expect(page.getByText("There is nothing of Eremos in what you chose.")).toBeVisible();
  await page.setInputFiles("#folder", hiddenIn(house.place("Home")));
  await page.getByLabel("Master password", { exact: true }).fill("wrong");
  await page.getByRole("button", { name: "Open it" }).click();
  await expect(page.getByText("That is not the master password.")).toBeVisible();
  await page.getByLabel("Master password", { exact: true }).fill(PASSWORD);
  await page.getByRole("button", { name: "Open it" }).click();
  await expect(page.getByText(`It lay at ${folder}.`)).toBeVisible();
  expect(await violations(page)).toEqual([]);
  const [first] = Object.keys(before).sort();
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: `Take out ${first ?? ""}` }).click(),
  ]);
  const one = house.place("one");
  await download.saveAs(one);
  expect(spawnSync("sha256sum", [one], { encoding: "utf8" }).stdout.split(" ")[0]).toBe(before[first ?? ""]);
  expect(await takeAll(page, house)).toEqual(before);
  await expect(page.getByText("Everything is taken out, and whole.")).toBeVisible();

  await page.getByLabel("the recovery code").check();
  const mistyped = `${recoveryCode.slice(0, 3)}${recoveryCode[3] === "A" ? "B" : "A"}${recoveryCode.slice(4)}`;
  await page.getByLabel("Recovery code", { exact: false }).last().fill(mistyped);
  await expect(page.getByText("Group 1 of 8: look again")).toBeVisible();
  await page.getByLabel("Recovery code", { exact: false }).last().fill(recoveryCode.toLowerCase().replaceAll("-", " "));
  await page.getByRole("button", { name: "Open it" }).click();
  await expect(page.getByText(`It lay at ${folder}.`)).toBeVisible();
  await page.getByLabel("keyholders’ shares").check();
  await page.getByLabel("Shares any 2 of 3, one a line").fill(`${shares[0]?.share ?? ""}\n${shares[0]?.share ?? ""}`);
  await expect(page.getByText("The same share is there already.")).toBeVisible();
  await page.getByRole("button", { name: "Open it" }).click();
  await expect(page.getByText("Share 2 of those you gave can’t be used.")).toBeVisible();
  await page
    .getByLabel("Shares any 2 of 3, one a line")
    .fill(`${shares[2]?.share ?? ""}\n${shares[0]?.share.toLowerCase() ?? ""}`);
  await expect(page.getByText("Share 1 is right.")).toBeVisible();
  await page.getByRole("button", { name: "Open it" }).click();
  await expect(page.getByText(`It lay at ${folder}.`)).toBeVisible();
  expect(asked.filter((url) => !url.startsWith("file:") && !url.startsWith("blob:"))).toEqual([]);
});

test("the page gives back what is whole of a damaged folder, names the rest with its bytes, and asks for the folder's own password", async ({
  page,
  house,
}) => {
  const folder = house.place("Home", "Adoption papers");
  fs.writeFileSync(path.join(folder, "large.bin"), Buffer.alloc(1_500_000, "large"));
  const before = filesOf(folder);
  expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
  const changed = spawnSync(
    "node",
    [
      fileURLToPath(new URL("../cli/bin/eremos.mjs", import.meta.url)),
      "passwd",
      folder,
      "--hint",
      "above the bench",
      "--password-stdin",
    ],
    { env: house.environment, cwd: house.world, encoding: "utf8", input: `${PASSWORD}\nrosin on the left shelf\n` },
  );
  expect(changed.status).toBe(0);
  const packs = path.join(folder, ".eremos", "packs");
  const files = fs
    .readdirSync(packs, { recursive: true, encoding: "utf8" })
    .map((name) => path.join(packs, name))
    .filter((file) => fs.statSync(file).isFile());
  const own = files.find((file) => fs.statSync(file).size > 1_500_000 && fs.statSync(file).size < 1_510_000) ?? "";
  const bytes = fs.readFileSync(own);
  bytes[1_000_000] = (bytes[1_000_000] ?? 0) ^ 1;
  fs.writeFileSync(own, bytes);
  await house.stop();
  await openPage(page, house);
  await page.setInputFiles("#folder", folder);
  await page.getByLabel("Master password", { exact: true }).fill(PASSWORD);
  await page.getByLabel("Password of this folder hint: above the bench").fill("rosin on the left shelf");
  await page.getByRole("button", { name: "Open it" }).click();
  await expect(page.getByText(`It lay at ${folder}.`)).toBeVisible();
  const taken = await takeAll(page, house);
  await expect(
    page.getByText(/large\.bin is damaged: bytes 98[0-9],\d{3} to 1,0[0-9]{2},\d{3} of 1,500,000 are zeros now/),
  ).toBeVisible();
  const { "large.bin": _was, ...rest } = before;
  const { "large.bin": _is, ...others } = taken;
  expect(others).toEqual(rest);
});

test("an older record of a folder that lay open, put back over a locked one, is told by the page, and what is encrypted opens", async ({
  page,
  house,
}) => {
  const folder = house.place("Home", "Adoption papers");
  const before = filesOf(folder);
  expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
  expect(house.eremos(["unlock", folder], PASSWORD).status).toBe(0);
  const ownDir = path.join(folder, ".eremos");
  const older = fs
    .readdirSync(ownDir)
    .filter((name) => /^state-/.test(name))
    .map((name) => [name, fs.readFileSync(path.join(ownDir, name))] as const);
  fs.writeFileSync(path.join(folder, "later.txt"), "written while it was open");
  expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
  await house.stop();
  for (const [name, bytes] of older) fs.writeFileSync(path.join(ownDir, name), bytes);
  await openPage(page, house);
  await page.setInputFiles("#folder", folder);
  await expect(
    page.getByText(
      "and a later encrypted state of it is here, as when an older note was put back. What is encrypted can be opened here.",
    ),
  ).toBeVisible();
  await page.getByLabel("Master password", { exact: true }).fill(PASSWORD);
  await page.getByRole("button", { name: "Open it" }).click();
  const taken = await takeAll(page, house);
  expect(Object.keys(taken).sort()).toEqual([...Object.keys(before), "later.txt"].sort());
});
