import * as fs from "node:fs";
import * as path from "node:path";
import { pathToFileURL } from "node:url";
import { deflateRawSync, inflateRawSync } from "node:zlib";
import PDFDocument from "pdfkit";
import type { Download, Page } from "@playwright/test";
import { violations } from "./accessible";
import { type House, expect, test } from "./house";

const PACKAGE_PASSWORD = "seven lamps along the quay";

/** A package of these files, made by the command line. Returns where its page is. */
function packed(house: House, files: Readonly<Record<string, string | Buffer>>): string {
  const folder = house.place("For the accountant");
  for (const [name, content] of Object.entries(files)) {
    fs.mkdirSync(path.dirname(path.join(folder, name)), { recursive: true });
    fs.writeFileSync(path.join(folder, name), content);
  }
  const made = house.place("package.html");
  expect(house.eremos(["hand-over", folder, "--to", made, "--plain"], PACKAGE_PASSWORD).status).toBe(0);
  // Where it was made is no part of it.
  fs.rmSync(folder, { recursive: true });
  return made;
}

/** Every address that the page asks for, but those of what is in it. */
function asked(page: Page): string[] {
  const addresses: string[] = [];
  page.on("request", (request) => {
    if (!request.url().startsWith("blob:")) addresses.push(request.url());
  });
  return addresses;
}

async function open(page: Page, password = PACKAGE_PASSWORD): Promise<void> {
  await page.getByLabel("Password of the package").fill(password);
  await page.getByRole("button", { name: "Open it" }).click();
}

async function bytesOf(download: Download): Promise<Buffer> {
  return fs.readFileSync(await download.path());
}

const PICTURE = Buffer.from(
  "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==",
  "base64",
);

for (const { width, hasTouch } of [
  { width: 1280, hasTouch: false },
  { width: 390, hasTouch: true },
]) {
  test(`a page opens itself from the disk, ${width} wide${hasTouch ? ", with touch emulated" : ""}: list, find, show, save one and all, and it asks for nothing`, async ({
    house,
    browser,
  }) => {
    const letter = "Dear Jonas,\nthe cello is a surprise.\n";
    const made = packed(house, {
      "2026/letter.txt": letter,
      "violin.png": PICTURE,
      "evil<img src=x onerror=document.title='ran'>.html": "<script>document.title = 'ran'</script>",
      "evil.svg": "<svg xmlns='http://www.w3.org/2000/svg' onload=\"document.title='ran'\"/>",
      "data.bin": Buffer.alloc(200_000, 7),
    });
    const context = await browser.newContext({ viewport: { width, height: 800 }, hasTouch });
    const page = await context.newPage();
    const addresses = asked(page);
    await page.goto(pathToFileURL(made).href);
    await open(page, "seven lamps");
    await expect(page.getByRole("alert").filter({ hasText: "does not open the package" })).toBeVisible();
    await open(page);
    await expect(page.getByRole("status").filter({ hasText: "5 files" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
    await page.getByLabel("Find a name").fill("LETTER");
    await expect(page.getByRole("listitem")).toHaveCount(1);
    await page.getByRole("button", { name: "Show For the accountant/2026/letter.txt" }).click();
    await expect(page.getByRole("dialog")).toContainText("the cello is a surprise.");
    await page.getByRole("button", { name: "Close" }).click();
    const one = page.waitForEvent("download");
    await page.getByRole("button", { name: "Save For the accountant/2026/letter.txt" }).click();
    expect([(await one).suggestedFilename(), (await bytesOf(await one)).toString()]).toEqual(["letter.txt", letter]);
    await page.getByLabel("Find a name").fill("");
    await page.getByRole("button", { name: "Show For the accountant/violin.png" }).click();
    await expect(page.getByRole("img")).toHaveJSProperty("naturalWidth", 1);
    await page.keyboard.press("Escape");
    await page.getByRole("button", { name: /^Show .*evil.*html/ }).click();
    await expect(page.getByRole("dialog")).toContainText("<script>document.title = 'ran'</script>");
    await page.keyboard.press("Escape");
    await expect(page.getByRole("button", { name: /^Show .*evil\.svg/ })).toHaveCount(0);
    // Where a browser can't choose a file to write into, it gathers everything first.
    await page.evaluate(() => Reflect.deleteProperty(globalThis, "showSaveFilePicker"));
    const all = page.waitForEvent("download");
    await page.getByRole("button", { name: "Save everything as one ZIP" }).click();
    expect((await bytesOf(await all)).subarray(0, 2).toString()).toBe("PK");
    await expect(page.getByText("Everything is saved, as one ZIP.")).toBeVisible();
    expect([await page.title(), addresses]).toEqual(["Package", [pathToFileURL(made).href]]);
    expect(await page.evaluate(() => document.documentElement.scrollWidth <= window.innerWidth)).toBe(true);
    await context.close();
  });
}

test("without the browser's own cipher the page opens by its own, the same", async ({ house, page }) => {
  const made = packed(house, { "letter.txt": "Dear Jonas", "data.bin": Buffer.alloc(300_000, 7) });
  await page.addInitScript(() => Object.defineProperty(crypto, "subtle", { value: undefined }));
  await page.goto(pathToFileURL(made).href);
  await open(page);
  await page.getByRole("button", { name: "Show For the accountant/letter.txt" }).click();
  await expect(page.getByRole("dialog")).toContainText("Dear Jonas");
});

test("where scripts don't run, the page says how it opens", async ({ house, browser }) => {
  const made = packed(house, { "letter.txt": "Dear Jonas" });
  const context = await browser.newContext({ javaScriptEnabled: false });
  const page = await context.newPage();
  await page.goto(pathToFileURL(made).href);
  await expect(page.getByRole("alert")).toContainText("open that in a browser");
  await context.close();
});

test("a damaged package and one that was cut off are told apart from a wrong password", async ({ house, page }) => {
  const made = packed(house, { "data.bin": Buffer.alloc(400_000, 7) });
  const text = fs.readFileSync(made, "latin1");
  const at = text.indexOf('class="piece">') + 'class="piece">'.length + 1000;
  const damaged = house.place("damaged.html");
  fs.writeFileSync(damaged, `${text.slice(0, at)}${text[at] === "A" ? "B" : "A"}${text.slice(at + 1)}`, "latin1");
  await page.goto(pathToFileURL(damaged).href);
  await open(page);
  await page.getByRole("button", { name: /^Save For/ }).click();
  await expect(page.getByRole("alert").filter({ hasText: "The package is damaged" })).toBeVisible();
  const cut = house.place("cut.html");
  fs.writeFileSync(cut, text.slice(0, at + 200_000), "latin1");
  await page.goto(pathToFileURL(cut).href);
  await open(page);
  await expect(page.getByRole("alert").filter({ hasText: /damaged|cut off/ })).toBeVisible();
});

test("one too large for a page is read from its file, chosen once more; another file is refused", async ({
  house,
  page,
}) => {
  const last = Buffer.alloc(5_000_000, "the last of it, ");
  const made = packed(house, { "a.bin": Buffer.alloc(110_000_000, 3), "z.txt": last });
  await page.goto(pathToFileURL(made).href, { waitUntil: "commit" });
  await expect(page.getByText("The package is too large for a page.")).toBeVisible();
  await page.getByLabel("Choose the file…").setInputFiles({
    name: "another.html",
    mimeType: "text/html",
    buffer: Buffer.alloc(600_000, "no package"),
  });
  await expect(page.getByText("That is another file.")).toBeVisible();
  await page.getByLabel("Choose the file…").setInputFiles(made);
  await expect(page.getByText("It is this file.")).toBeVisible();
  await open(page);
  await expect(page.getByRole("status").filter({ hasText: "2 files, 115 MB" })).toBeVisible();
  const saved = page.waitForEvent("download");
  await page.getByRole("button", { name: "Save For the accountant/z.txt" }).click();
  expect((await bytesOf(await saved)).equals(last)).toBe(true);
});

/** A PDF of some pages, with a font of its own in it, or by one that every reader has; one that would run a script. */
async function pdfOf(pages: number, font: string | null): Promise<Buffer> {
  const document = new PDFDocument({ size: "A6", autoFirstPage: false });
  const parts: Buffer[] = [];
  document.on("data", (part: Buffer) => parts.push(part));
  const ended = new Promise<void>((resolve) => document.on("end", resolve));
  for (let page = 0; page < pages; page++) {
    document.addPage();
    if (font !== null) document.font(font);
    document.fontSize(40).text(`Bill ${page + 1}`, 40, 60);
  }
  const action = document.ref({ Type: "Action", S: "JavaScript", JS: "app.alert('ran'); document.title = 'ran'" });
  (action.end as () => void).call(action);
  (document as unknown as { _root: { data: Record<string, unknown> } })._root.data["OpenAction"] = action;
  document.end();
  await ended;
  return Buffer.concat(parts);
}

test("a PDF is drawn page by page, by fonts in it and by others, offline, and what would run in it does not", async ({
  house,
  page,
}) => {
  const own = path.join(import.meta.dirname, "../node_modules/dejavu-fonts-ttf/ttf/DejaVuSans-Bold.ttf");
  const made = packed(house, {
    "own.pdf": await pdfOf(3, own),
    "usual.pdf": await pdfOf(1, null),
    "broken.pdf": Buffer.from("%PDF-1.7 and nothing more"),
  });
  const requests = asked(page);
  const errors: string[] = [];
  page.on("pageerror", (error) => errors.push(error.message));
  await page.goto(pathToFileURL(made).toString());
  await open(page);
  for (const [name, count] of [
    ["own.pdf", 3],
    ["usual.pdf", 1],
  ] as const) {
    await page.getByRole("button", { name: new RegExp(`^Show .*${name}`) }).click();
    const pages = page.getByRole("dialog").getByRole("img");
    await expect(pages).toHaveCount(count);
    await expect(pages.first()).toHaveAccessibleName("Page 1");
    const ink = await pages.first().evaluate((canvas: HTMLCanvasElement) => {
      const data = Array.from(canvas.getContext("2d")?.getImageData(0, 0, canvas.width, canvas.height).data ?? []);
      return data.reduce((sum, value, i) => sum + (i % 4 === 0 && value < 100 ? 1 : 0), 0);
    });
    expect(ink, name).toBeGreaterThan(300);
    await page.getByRole("button", { name: "Close" }).click();
  }
  await page.getByRole("button", { name: /^Show .*broken\.pdf/ }).click();
  await expect(page.getByRole("alert").filter({ hasText: /./ })).toBeVisible();
  expect(await page.title()).toBe("Package");
  expect([errors, requests.filter((address) => !address.startsWith("file:"))]).toEqual([[], []]);
});

test("without a way to unpack what draws PDFs they are saved, not shown; of a changed one nothing runs", async ({
  house,
  browser,
}) => {
  const made = packed(house, { "own.pdf": await pdfOf(1, null) });
  const context = await browser.newContext();
  await context.addInitScript(() => Reflect.deleteProperty(globalThis, "DecompressionStream"));
  const page = await context.newPage();
  await page.goto(pathToFileURL(made).toString());
  await open(page);
  await expect(page.getByRole("button", { name: /^Save .*own\.pdf/ })).toBeVisible();
  await expect(page.getByRole("button", { name: /^Show/ })).toHaveCount(0);
  await context.close();

  const text = fs.readFileSync(made, "utf8");
  const [whole, code = ""] = /id="pdf">([^<]+)</.exec(text) ?? [];
  const changed = deflateRawSync(`document.title = "ran";${inflateRawSync(Buffer.from(code, "base64")).toString()}`);
  fs.writeFileSync(made, text.replace(whole ?? "", `id="pdf">${changed.toString("base64")}<`));
  const other = await (await browser.newContext()).newPage();
  await other.goto(pathToFileURL(made).toString());
  await open(other);
  await other.getByRole("button", { name: /^Show .*own\.pdf/ }).click();
  await expect(other.getByRole("alert").filter({ hasText: /./ })).toBeVisible();
  expect(await other.title()).toBe("Package");
  await other.context().close();
});
