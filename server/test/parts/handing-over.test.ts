import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it } from "vitest";
import { clearTraces, tracesOf } from "../../src/operations/folders/traces";
import { startVisit } from "../../src/operations/folders/visit";
import { type HandOverRequest, handOver } from "../../src/operations/handover/hand-over";
import { handedOver, noteHandedOver, paperFor } from "../../src/operations/handover/handed";
import { receive } from "../../src/operations/handover/receive";
import { planHandOver } from "../../src/operations/handover/what-goes-in";
import { lock } from "../../src/operations/locking/lock-folder";
import { TestHouse, sealedAnd } from "../house";

const PASSWORD = "seven lamps along the quay – größe";
let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => house.remove());

const at = (name: string): string => path.join(house.world, name);
async function locked(name: string): Promise<string> {
  const folder = house.makeFolder(name);
  await lock(house.eremos, { path: folder, protection: sealedAnd("view"), inUseAnyway: false, from: "/" }).then(
    ({ outcome }) => outcome,
  );
  return folder;
}
const asking = (what: string, to: string): HandOverRequest => ({
  what,
  isPlain: false,
  secret: null,
  hrefs: null,
  from: "/",
  form: "page",
  hidesNames: false,
  password: PASSWORD,
  at: to,
  to: "Mara",
  note: "the June figures",
});
const make = async (what: string, to: string): Promise<void> => {
  await (
    await handOver(house.eremos, asking(what, to))
  ).outcome;
};

it("what went to whom is written down for the owner alone, and the paper reads as its password, as text and as a code", async () => {
  await make(await locked("Payroll"), at("package.html"));
  const [one] = handedOver(house.eremos);
  expect(one).toMatchObject({
    what: at("Payroll"),
    lies: "locked",
    form: "page",
    to: "Mara",
    path: at("package.html"),
  });
  noteHandedOver(house.eremos, one?.id ?? "", { to: "Mara Lind", note: "sent on Monday" });
  expect(handedOver(house.eremos)).toMatchObject([{ to: "Mara Lind", note: "sent on Monday", what: at("Payroll") }]);
  for (const told of ["Mara Lind", "sent on Monday", "the June figures", PASSWORD])
    expect(spawnSync("grep", ["-rqF", told, house.data]).status, told).toBe(1);

  const file = path.join(house.base, "paper.pdf");
  fs.writeFileSync(file, await paperFor(house.eremos, one?.id ?? "", Buffer.from(PASSWORD)));
  const text = spawnSync("pdftotext", [file, "-"], { encoding: "utf8" }).stdout.replaceAll(/\s+/g, " ");
  for (const told of [PASSWORD, "For Mara Lind", "package.html", one?.sha256 ?? "none"]) expect(text).toContain(told);
  expect(spawnSync("pdfinfo", [file], { encoding: "utf8" }).stdout).toMatch(/Tagged:\s+yes[^]*Pages:\s+1\n/);
  spawnSync("pdftoppm", ["-r", "150", "-singlefile", "-png", file, file]);
  const code = spawnSync("zbarimg", ["-q", "--raw", `${file}.png`], { encoding: "utf8" }).stdout;
  expect(code.trim()).toBe(PASSWORD);
});

it("a package is told among the traces of its folder, and goes only when it is chosen", async () => {
  const [folder, other] = [await locked("Payroll"), await locked("Letters")];
  await make(folder, at("package.html"));
  const found = async (of: string) =>
    (await tracesOf(house.eremos, of, "/", false)).traces.filter(({ kind }) => kind === "exports");
  const [trace] = await found(folder);
  expect([trace?.where, trace?.isSure, await found(other)]).toEqual([at("package.html"), false, []]);
  const clearing = { kinds: null, onlySure: true, byInside: false, keep: true, overwrite: 0 as const };
  await clearTraces(house.eremos, folder, "/", { ...clearing, ids: null, kinds: ["exports"] }).then(
    ({ outcome }) => outcome,
  );
  expect(fs.existsSync(at("package.html"))).toBe(true);
  await clearTraces(house.eremos, folder, "/", { ...clearing, ids: [trace?.id ?? ""] }).then(({ outcome }) => outcome);
  expect(fs.existsSync(at("package.html"))).toBe(false);
});

it("a folder that is visited is handed over once the visit has ended; of what was chosen, nothing that is gone, and no path that leads out", async () => {
  const folder = await locked("Payroll");
  const visit = { pathOrId: folder, from: "/", minutes: null, accept: [], secret: null };
  await startVisit(house.eremos, visit);
  const plan = (hrefs: readonly string[] | null): Promise<unknown> =>
    planHandOver(house.eremos, { what: folder, isPlain: false, secret: null, hrefs, from: "/" });
  expect(await plan(null)).toMatchObject({ lies: "locked", name: "Payroll" });
  const [name = ""] = ["letter.txt"];
  expect(await plan([`/${name}`])).toMatchObject({ files: 1 });
  await expect(plan(["/gone.txt"])).rejects.toMatchObject({ code: "not-found" });
  for (const out of ["/..", "/../Letters", "/", "letter.txt", "/%2e%2e/Letters"])
    await expect(plan([out]), out).rejects.toMatchObject({ code: "usage" });
});

it("what is received goes nowhere where something may not be, and into nothing that is locked", async () => {
  const folder = await locked("Payroll");
  await make(folder, at("package.html"));
  const into = async (to: string, lockIt: boolean): Promise<unknown> =>
    (await receive(house.eremos, { package: at("package.html"), password: PASSWORD, at: to, lock: lockIt, from: "/" }))
      .outcome;
  for (const lockIt of [true, false]) {
    await expect(into("/etc/eremos-received", lockIt)).rejects.toMatchObject({ code: "outside-places" });
    await expect(into(folder, lockIt)).rejects.toMatchObject({ code: "path-taken" });
    await expect(into(path.join(folder, "inside"), lockIt)).rejects.toMatchObject({ code: "nested" });
  }
  expect(fs.existsSync("/etc/eremos-received")).toBe(false);
});
