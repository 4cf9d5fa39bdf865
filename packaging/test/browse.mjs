/** What a person does in the browser, as the account that this process runs as. */
import { chromium } from "playwright-core";
import { CHROMIUM } from "../../stand-ins/chromium.mjs";

const [what, address, password, ...rest] = process.argv.slice(2);
const browser = await chromium.launch(CHROMIUM);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, locale: "en-GB" });
page.setDefaultTimeout(60_000);
const wrong = [];
page.on("pageerror", (error) => wrong.push(error.message));

/** Chooses the master password, and proves the code as it stands on the sheet. */
async function firstRun() {
  await page.goto(address);
  await page.getByLabel("Master password").fill(password);
  await page.getByLabel("The same again").fill(password);
  await page.getByRole("button", { name: "Continue to the recovery code" }).click();
  await page.getByRole("list", { name: "Recovery code" }).waitFor();
  const groups = await page.getByRole("list", { name: "Recovery code" }).getByRole("listitem").allInnerTexts();
  await page.getByRole("button", { name: "I have it on paper" }).click();
  for (const label of await page
    .getByRole("textbox")
    .evaluateAll((all) =>
      all.map((one) => (one instanceof HTMLInputElement ? (one.labels?.[0]?.innerText ?? "") : "")),
    )) {
    const [number] = /\d+/.exec(label) ?? [];
    await page.getByLabel(label).fill(groups[Number(number) - 1].split("\n").at(-1) ?? "");
  }
  await page.getByRole("button", { name: "Finish" }).click();
  await page.getByRole("heading", { name: "Your folders" }).waitFor();
}

async function signIn() {
  await page.goto(address);
  await page.getByLabel("Master password", { exact: true }).fill(password);
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByRole("heading", { name: "Your folders" }).waitFor();
}

if (what === "first-run") await firstRun();
else await signIn();
// Each is a path, and what is to be seen there, with a bar between them.
for (const [path, seen] of rest.map((one) => one.split("|"))) {
  await page.goto(`${address}${path}`);
  await page.locator("main").getByText(seen).first().waitFor();
  process.stdout.write(`${await page.locator("main").first().innerText()}\n`);
}
await browser.close();
if (wrong.length > 0) {
  process.stderr.write(`${wrong.join("\n")}\n`);
  process.exitCode = 1;
}
