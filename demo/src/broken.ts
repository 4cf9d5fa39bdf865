import { type ChildProcess, spawn } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { photoJpeg, toneWav } from "./files";
import { Seeded } from "./random";

/** Runs Eremos' command line, with these words, on the demo's data or another; `true`: it ended well. */
export interface Eremos {
  run(words: readonly string[], options?: { readonly data?: string; readonly password?: string }): boolean;
  /** The same, begun and not waited for. */
  begin(words: readonly string[]): ChildProcess;
}

const OLD_PASSWORD = "gut strings on the old bench";

/** Makes each kind of trouble that Ways back is for, with real locks, in the demo world. */
export async function breakThings(world: string, eremos: Eremos): Promise<void> {
  const place = path.join(world, "Broken cases");
  const seed = new Seeded(3141);
  const make = (name: string, files = 6): string => {
    const folder = path.join(place, name);
    fs.mkdirSync(folder, { recursive: true });
    for (let number = 1; number <= files; number++)
      fs.writeFileSync(path.join(folder, `study ${number}.wav`), toneWav(110 * number, 4, seed));
    fs.writeFileSync(path.join(folder, "list.txt"), `${path.basename(name)}: ${files} studies\n`);
    return folder;
  };
  const locked = (name: string, files?: number): string => {
    const folder = make(name, files);
    eremos.run(["lock", folder, "--view"]);
    return folder;
  };

  hideByHand(place, seed);
  const header = locked("Damaged records/Guest book");
  for (const name of ["header.json", "header.twin.json"])
    fs.writeFileSync(path.join(header, ".eremos", name), "spoilt by a bad disk");
  const insured = locked("Damaged, insured/Tone studies");
  eremos.run(["insure", insured, "standard"]);
  spoil(insured);
  spoil(locked("Damaged, not insured/Rehearsals"));

  const before = locked("Moved/Season tickets");
  fs.renameSync(before, path.join(place, "Moved", "Tickets, put elsewhere"));
  const original = locked("Copied twice/Seating plan");
  fs.cpSync(original, path.join(place, "Copied twice", "Seating plan (copy)"), {
    recursive: true,
    preserveTimestamps: true,
  });

  fs.chmodSync(path.join(locked("Permissions lost/Contracts"), ".eremos", "packs"), 0o000);
  const data = path.join(world, "..", "old computer");
  eremos.run(["setup", "--effort", "light"], { data, password: OLD_PASSWORD });
  eremos.run(["lock", make("From the old computer/Letters"), "--view"], { data });
  fs.rmSync(data, { recursive: true, force: true });
  fs.writeFileSync(
    path.join(place, "From the old computer", "what opens it.txt"),
    `The master password was: ${OLD_PASSWORD}\n`,
  );

  await cutOff(make("Cut off/Recordings", 40), eremos);
}

/** Things that somebody hid without Eremos, and lost. */
function hideByHand(place: string, seed: Seeded): void {
  const put = (name: string, content: Buffer | string): void => {
    fs.mkdirSync(path.dirname(path.join(place, name)), { recursive: true });
    fs.writeFileSync(path.join(place, name), content);
  };
  const by = "Hidden by hand";
  for (let number = 1; number <= 3; number++)
    put(`${by}/.Letters from Dornau/letter ${number}.txt`, `Dornau, ${seed.whole(1, 28)} May\n\nDear Ines,\n`);
  put(`${by}/Old tax papers/2019.csv`, "month,tax\n01,120\n02,85\n");
  put(`${by}/.hidden`, "Old tax papers\n");
  put(`${by}/\u2800/scroll.jpg`, photoJpeg(seed, 320, 240));
  put(`${by}/May not be read/will.txt`, "The workshop goes to Tomas.\n");
  fs.chmodSync(path.join(place, by, "May not be read"), 0o000);
  const panel = "Control Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}";
  put(`Home-made lock/${panel}/photo.jpg`, photoJpeg(seed, 320, 240));
  put(
    "Home-made lock/lock.bat",
    `@ECHO OFF\r\nif EXIST "${panel}" goto UNLOCK\r\nren Private "${panel}"\r\nattrib +h +s "${panel}"\r\ngoto End\r\n:UNLOCK\r\nset/p "pass=>"\r\nif NOT %pass%==fiddlestick goto End\r\nattrib -h -s "${panel}"\r\nren "${panel}" Private\r\n:End\r\n`,
  );
}

/** Some bytes in the middle of the largest encrypted file become others. */
function spoil(folder: string): void {
  const packs = path.join(folder, ".eremos", "packs");
  if (!fs.existsSync(packs)) return;
  const [largest] = fs
    .readdirSync(packs, { recursive: true, encoding: "utf8" })
    .map((name) => path.join(packs, name))
    .filter((file) => fs.statSync(file).isFile())
    .sort((a, b) => fs.statSync(b).size - fs.statSync(a).size);
  if (largest === undefined) return;
  const bytes = fs.readFileSync(largest);
  fs.writeFileSync(largest, bytes.fill(0x77, Math.floor(bytes.length / 2), Math.floor(bytes.length / 2) + 20_000));
}

/** As when the power goes: killed as soon as something is encrypted. */
async function cutOff(folder: string, eremos: Eremos): Promise<void> {
  const lock = eremos.begin(["lock", folder, "--view"]);
  const ended = new Promise((resolve) => lock.once("exit", resolve));
  const timer = setInterval(() => {
    if (fs.existsSync(path.join(folder, ".eremos", "packs"))) lock.kill("SIGKILL");
  }, 2);
  await ended;
  clearInterval(timer);
}

/** With the demo's own data, unless another is given. */
export function eremosOf(
  program: string,
  environment: NodeJS.ProcessEnv,
  password: string,
  runSync: (words: readonly string[], environment: NodeJS.ProcessEnv, input: string) => boolean,
): Eremos {
  return {
    run: (words, { data, password: other } = {}) =>
      runSync(
        [...words, ...(["setup", "insure"].includes(words[0] ?? "") ? ["--password-stdin"] : [])],
        data === undefined ? environment : { ...environment, EREMOS_DATA: data },
        `${other ?? password}\n`,
      ),
    begin: (words) => spawn("node", [program, ...words], { env: environment, stdio: "ignore" }),
  };
}
