import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { afterAll, expect, it } from "vitest";
import { LEAST_COST, createOwner, newRecoveryCode, withKeyholders } from "@eremos/core";
import { shareSheet } from "../src/sheets/share-sheet";
import { recoverySheet } from "../src/sheets/recovery-sheet";

const READERS = ["rescue.html", "rescue.mjs"].map((name) => ({
  name,
  href: `/rescue/${name}`,
  bytes: 1,
  sha256: "0123456789abcdef".repeat(4),
}));
const base = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-sheet-"));
afterAll(() => fs.rmSync(base, { recursive: true }));

it("prints the code as text and as a QR code that reads the same, tagged, with its fonts in it, on one page", async () => {
  const code = newRecoveryCode();
  const file = path.join(base, "sheet.pdf");
  fs.writeFileSync(
    file,
    await recoverySheet({ code: code.toLowerCase(), at: Date.UTC(2026, 10, 26), readers: READERS }),
  );
  const run = (program: string, ...args: string[]): string => spawnSync(program, args, { encoding: "utf8" }).stdout;
  const text = run("pdftotext", "-layout", file, "-");
  for (const group of code.split("-")) expect(text).toContain(group);
  expect(text).toContain("Made on 26 November 2026");
  expect(text).toContain("01234567 89abcdef");
  const info = run("pdfinfo", file);
  expect(info).toMatch(/Tagged:\s+yes/);
  expect(info).toMatch(/Pages:\s+1\n/);
  expect(info).not.toContain(code.slice(0, 5));
  expect(
    run("pdffonts", file)
      .split("\n")
      .slice(2)
      .filter((line) => line !== "")
      .map((line) => /\s(yes|no)\s+(yes|no)\s+(yes|no)\s/.exec(line)?.[1]),
  ).toEqual(["yes", "yes"]);
  run("pdftoppm", "-r", "150", "-png", file, path.join(base, "page"));
  const [picture = ""] = fs.readdirSync(base).filter((name) => name.endsWith(".png"));
  expect(run("zbarimg", "-q", "--raw", path.join(base, picture)).trim()).toBe(code);
});

it("prints a keyholder's share the same way, the holder's name in any script", async () => {
  const { envelope, rootKey } = await createOwner("violin varnish at dusk", newRecoveryCode(), LEAST_COST);
  const { shares } = await withKeyholders(envelope, rootKey, { threshold: 3, count: 5 });
  const file = path.join(base, "share.pdf");
  fs.writeFileSync(
    file,
    await shareSheet({
      share: shares[1] ?? "",
      holder: "Őszi Ильин",
      of: "Ines Varga",
      number: 2,
      count: 5,
      threshold: 3,
      at: Date.UTC(2026, 10, 26),
      readers: READERS,
    }),
  );
  const run = (program: string, ...args: string[]): string => spawnSync(program, args, { encoding: "utf8" }).stdout;
  const text = run("pdftotext", "-layout", file, "-");
  for (const group of (shares[1] ?? "").split("-")) expect(text).toContain(group);
  expect(text).toContain("Őszi Ильин, for Ines Varga");
  expect(text).toContain("Any 3 of the 5 shares");
  expect(run("pdfinfo", file)).toMatch(/Tagged:\s+yes[\s\S]*Pages:\s+1\n/);
  run("pdftoppm", "-r", "150", "-png", file, path.join(base, "share"));
  const [picture = ""] = fs.readdirSync(base).filter((name) => name.startsWith("share") && name.endsWith(".png"));
  expect(run("zbarimg", "-q", "--raw", path.join(base, picture)).trim()).toBe(shares[1]);
});

it("refuses what is no whole code", async () => {
  await expect(recoverySheet({ code: newRecoveryCode().slice(0, 20), at: 0, readers: [] })).rejects.toMatchObject({
    code: "wrong-code",
  });
});
