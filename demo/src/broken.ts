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

const WHAT_IS_BROKEN = `One of each trouble that Ways back is for:

Front room              a bad disk spoilt the notes of a locked folder
Listening room          damaged, and insured
Rehearsal room          damaged, and not insured
Box office              moved by something else
Hall                    copied, and both are there
Library                 its permissions are lost
From the old computer   locked by an Eremos that is gone
Studio                  the power went while it was being locked
Loft, Shed              hidden by hand, without Eremos
`;

const OLD_PASSWORD = "gut strings on the old bench";

/** The workshop as its owner lives in it: some of it locked, some hidden, one folder open on the bench. */
export function moveIn(world: string, eremos: Eremos): void {
  const lock = (name: string, ...choices: readonly string[]): boolean =>
    eremos.run(["lock", path.join(world, name), ...choices]);
  lock("Workshop/Payroll", "--view");
  lock("Home/Adoption papers", "--hide");
  lock("Home/Surprise for Jonas", "--guard", "sight", "--visibility", "tucked");
  lock("Cello fund", "--guard", "barred", "--view");
  lock("Workshop/Appraisals 2026", "--view");
  eremos.run(["unlock", path.join(world, "Workshop/Appraisals 2026")]);
}

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
  fs.writeFileSync(path.join(place, "what is broken here.txt"), WHAT_IS_BROKEN);
  const header = locked("Front room/Guest book");
  for (const name of ["header.json", "header.twin.json"])
    fs.writeFileSync(path.join(header, ".eremos", name), "spoilt by a bad disk");
  const insured = locked("Listening room/Tone studies");
  eremos.run(["insure", insured, "standard"]);
  spoil(insured);
  spoil(locked("Rehearsal room/Rehearsals"));

  const before = locked("Box office/Season tickets");
  fs.renameSync(before, path.join(place, "Box office", "Tickets of the season"));
  const original = locked("Hall/Seating plan");
  fs.cpSync(original, path.join(place, "Hall", "Seating plan (copy)"), {
    recursive: true,
    preserveTimestamps: true,
  });

  fs.chmodSync(path.join(locked("Library/Contracts"), ".eremos", "packs"), 0o000);
  const data = path.join(world, "..", "old computer");
  eremos.run(["setup", "--effort", "light"], { data, password: OLD_PASSWORD });
  eremos.run(["lock", make("From the old computer/Letters"), "--view"], { data });
  fs.rmSync(data, { recursive: true, force: true });
  fs.writeFileSync(
    path.join(place, "From the old computer", "what opens it.txt"),
    `The master password was: ${OLD_PASSWORD}\n`,
  );

  await cutOff(make("Studio/Recordings", 40), eremos);
}

/** Things that somebody hid without Eremos, and lost. */
function hideByHand(place: string, seed: Seeded): void {
  const put = (name: string, content: Buffer | string): void => {
    fs.mkdirSync(path.dirname(path.join(place, name)), { recursive: true });
    fs.writeFileSync(path.join(place, name), content);
  };
  const by = "Loft";
  for (let number = 1; number <= 3; number++)
    put(`${by}/.Letters from Dornau/letter ${number}.txt`, `Dornau, ${seed.whole(1, 28)} May\n\nDear Ines,\n`);
  put(`${by}/Old tax papers/2019.csv`, "month,tax\n01,120\n02,85\n");
  put(`${by}/.hidden`, "Old tax papers\n");
  put(`${by}/\u2800/scroll.jpg`, photoJpeg(seed, 320, 240));
  put(`${by}/May not be read/will.txt`, "The workshop goes to Tomas.\n");
  fs.chmodSync(path.join(place, by, "May not be read"), 0o000);
  const panel = "Control Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}";
  put(`Shed/${panel}/photo.jpg`, photoJpeg(seed, 320, 240));
  put(
    "Shed/lock.bat",
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
        [...words, ...(["setup", "insure", "unlock"].includes(words[0] ?? "") ? ["--password-stdin"] : [])],
        data === undefined ? environment : { ...environment, EREMOS_DATA: data },
        `${other ?? password}\n`,
      ),
    begin: (words) => spawn("node", [program, ...words], { env: environment, stdio: "ignore" }),
  };
}
