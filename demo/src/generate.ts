import * as fs from "node:fs";
import * as path from "node:path";
import { archiveZip, csv, documentPdf, drawingPng, photoJpeg, toneWav } from "./files";
import { Seeded } from "./random";

/** The demo owner's master password. Made up, printed by `npm run demo`, good for nothing else. */
export const DEMO_PASSWORD = "rosin maple bridge dusk";

const MONTHS = ["01", "02", "03", "04", "05", "06", "07", "08", "09", "10", "11", "12"] as const;
const PEOPLE = ["Ines Varga", "Tomas Lind", "Mirela Ostrov", "Pavel Hruza"] as const;
const MAKERS = [
  "A. Kestrel",
  "Workshop of Dornau",
  "Unlabelled, Tyrol",
  "M. Halloran",
  "School of Velde",
  "J. Sarkany",
] as const;
const FIRST_DAY = Date.UTC(2025, 0, 7, 9, 0, 0);
const DAY = 86_400_000;

/** Writes files with fixed, plausible times. */
class World {
  private readonly dates = new Map<string, Date>();

  constructor(
    private readonly root: string,
    private readonly seed: Seeded,
  ) {}

  nextDate(): Date {
    return new Date(FIRST_DAY + this.seed.whole(0, 640) * DAY + this.seed.whole(0, 36_000) * 1000);
  }

  put(name: string, content: Buffer | string, date = this.nextDate()): void {
    const file = path.join(this.root, name);
    fs.mkdirSync(path.dirname(file), { recursive: true });
    fs.writeFileSync(file, content);
    fs.utimesSync(file, date, date);
    for (let directory = path.dirname(name); directory !== "."; directory = path.dirname(directory)) {
      const known = this.dates.get(directory);
      if (!known || known < date) this.dates.set(directory, date);
    }
  }

  /** Directory times come last: writing into them changes them. */
  finish(): void {
    const deepestFirst = [...this.dates].sort(([a], [b]) => b.split("/").length - a.split("/").length);
    for (const [directory, date] of deepestFirst) fs.utimesSync(path.join(this.root, directory), date, date);
  }
}

/**
 * Generates the demo world into an empty or missing directory. Deterministic: the same bytes, names and times every
 * time.
 */
export async function generateWorld(root: string): Promise<void> {
  fs.mkdirSync(root, { recursive: true });
  const seed = new Seeded(1723);
  const world = new World(root, seed);
  await workshop(world, seed);
  await home(world, seed);
  await elsewhere(world, seed);
  world.finish();
}

async function workshop(world: World, seed: Seeded): Promise<void> {
  for (let number = 1; number <= 32; number++) {
    const maker = seed.pick(MAKERS);
    const value = seed.whole(18, 640) * 100;
    const date = world.nextDate();
    const name = `Workshop/Appraisals 2026/${String(number).padStart(2, "0")} ${maker}`;
    await documentPdf(
      {
        title: `Appraisal ${number}: ${maker}`,
        lines: [
          `Violin, ${maker}, about ${seed.whole(1760, 1950)}.`,
          `Length of back ${seed.whole(3520, 3600) / 10} mm. Varnish ${seed.pick(["red-brown", "golden", "amber", "dark"])}.`,
          `Value for insurance: ${value.toLocaleString("en")} crowns.`,
          "Ines Varga, violin workshop",
        ],
      },
      date,
    ).then((pdf) => world.put(`${name}.pdf`, pdf, date));
    world.put(
      `${name}.md`,
      `# ${maker}\n\n- value: ${value}\n- condition: ${seed.pick(["very good", "good", "one repaired crack", "needs a new bar"])}\n`,
      date,
    );
  }
  for (let number = 1; number <= 56; number++)
    world.put(`Workshop/Instrument photos/IMG_${1200 + number}.jpg`, photoJpeg(seed));
  for (let number = 1; number <= 12; number++)
    world.put(`Workshop/Instrument photos/Drawings/outline ${number}.png`, drawingPng(seed));
  for (const [note, frequency] of [
    ["G", 196],
    ["D", 293.66],
    ["A", 440],
    ["E", 659.26],
  ] as const)
    world.put(`Workshop/Instrument photos/Tone/open ${note} string.wav`, toneWav(frequency, 24, seed));

  for (const person of PEOPLE) {
    for (const year of [2025, 2026]) {
      for (const month of MONTHS) {
        const pay = seed.whole(1900, 3400);
        const date = new Date(Date.UTC(year, Number(month) - 1, 28, 15, 0, 0));
        world.put(
          `Workshop/Payroll/${year}/${person}/${year}-${month} payslip.pdf`,
          await documentPdf(
            {
              title: `Payslip ${month}/${year}`,
              lines: [person, `Gross ${pay} crowns`, `Net ${Math.round(pay * 0.74)} crowns`, "Varga violin workshop"],
            },
            date,
          ),
          date,
        );
        world.put(
          `Workshop/Payroll/${year}/${person}/${year}-${month} hours.csv`,
          csv([["day", "hours"], ...Array.from({ length: 20 }, (_, day) => [day + 1, seed.whole(4, 9)])]),
          date,
        );
      }
    }
  }
  world.put(
    "Workshop/Payroll/bank details.txt",
    PEOPLE.map((person) => `${person}: account ${seed.whole(10_000_000, 99_999_999)}`).join("\n"),
  );

  world.put(
    "Workshop/Bow stock/bows.csv",
    csv([
      ["number", "wood", "grams", "price"],
      ...Array.from({ length: 60 }, (_, i) => [
        i + 1,
        seed.pick(["pernambuco", "snakewood", "ipe"]),
        seed.whole(58, 63),
        seed.whole(3, 90) * 100,
      ]),
    ]),
  );
  for (let number = 1; number <= 17; number++)
    world.put(
      `Workshop/Bow stock/bow ${number}.md`,
      `# Bow ${number}\n\nRehaired ${seed.whole(1, 28)}/${seed.whole(1, 12)}. ${seed.pick(["Straight.", "A little soft.", "Very lively."])}\n`,
    );
  for (const batch of ["amber", "copal", "madder", "walnut", "spirit", "oil ground", "retouching", "mastic", "dammar"])
    world.put(
      `Workshop/Varnish notes/${batch}.md`,
      `# ${batch}\n\nCooked for ${seed.whole(2, 9)} hours. Dries in ${seed.whole(1, 6)} days in the sun.\n`,
    );
  world.put("Workshop/opening hours.md", "# Opening hours\n\nTuesday to Friday, 9 to 17. Saturday by appointment.\n");
}

async function home(world: World, seed: Seeded): Promise<void> {
  for (const title of [
    "Application",
    "Home study",
    "Letter to the court",
    "Medical report",
    "Decision of the court",
    "Passport copy",
  ]) {
    const date = world.nextDate();
    world.put(
      `Home/Adoption papers/${title}.pdf`,
      await documentPdf(
        {
          title,
          lines: [
            "In the matter of the adoption of J.",
            "Confidential. Family court, file 18/2025.",
            "Ines Varga and Daniel Varga",
          ],
        },
        date,
      ),
      date,
    );
  }
  world.put(
    "Home/Adoption papers/notes.txt",
    "Call the court on Monday. Jonas must hear it from us, not from a folder.\n",
  );
  for (let number = 1; number <= 28; number++)
    world.put(`Home/Surprise for Jonas/cello ${String(number).padStart(2, "0")}.jpg`, photoJpeg(seed, 640, 480));
  world.put(
    "Home/Surprise for Jonas/plan.md",
    "# Half-size cello\n\n- varnish dry by the 12th\n- strings from Mirela\n- hide it behind the lathe until then\n",
  );
  world.put("Home/Surprise for Jonas/song.wav", toneWav(130.81, 40, seed));
  world.put(
    "Home/Surprise for Jonas/guests.csv",
    csv([
      ["name", "comes"],
      ["Oma Varga", "yes"],
      ["Tomas", "yes"],
      ["Mirela", "perhaps"],
    ]),
  );
  for (const bed of ["beans", "roses", "quince", "herbs"])
    world.put(`Home/Garden plans/${bed}.md`, `# ${bed}\n\nPlant ${seed.whole(3, 20)} in row ${seed.whole(1, 8)}.\n`);
  for (const dish of ["plum dumplings", "lentil soup", "poppy seed cake", "paprika stew", "cherry strudel"])
    world.put(
      `Home/Recipes/${dish}.txt`,
      `${dish}\n\n${seed.whole(200, 500)} g flour, ${seed.whole(1, 4)} eggs, patience.\n`,
    );
}

async function elsewhere(world: World, seed: Seeded): Promise<void> {
  for (let year = 2019; year <= 2026; year++)
    world.put(
      `Cello fund/${year}.csv`,
      csv([["month", "put aside"], ...MONTHS.map((month) => [month, seed.whole(20, 260)])]),
    );
  world.put("Cello fund/why.txt", "For a full-size one, when he is fourteen.\n");
  const date = world.nextDate();
  world.put(
    "Cloud drive/Concert programmes.zip",
    archiveZip({ "spring.txt": "Bach, Kodály, Ysaÿe\n", "autumn.txt": "Dvořák, Janáček\n" }, date),
    date,
  );
  world.put(
    "Cloud drive/suppliers.md",
    "# Suppliers\n\n- tonewood: Alder & Fen\n- strings: Corvin\n- hair: Stepan's\n",
  );
  world.put("Red stick/read me.txt", "The workshop's stick. Please put it back into the drawer.\n");
  for (let number = 1; number <= 6; number++)
    world.put(`Red stick/templates/scroll ${number}.png`, drawingPng(seed, 300, 300));
}
