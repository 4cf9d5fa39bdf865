/** From seconds to ratios, and into docs/BENCHMARKS.md between its two marks. */
import { readFileSync, writeFileSync } from "node:fs";
import { median, spread } from "./measure.mjs";

const number = (value) => (value >= 100 ? Math.round(value).toLocaleString("en") : value.toFixed(2));

function ratiosOf({ place, corpus, files, bytes, measured, memory }) {
  const wall = (name) => median(measured[name].wall);
  const cpu = (name) => median(measured[name].cpu);
  const copying = wall("cp -a") + wall("sync -f after cp") + wall("rm -rf");
  const floor = bytes / 1e6 / cpu("read, encrypt, write");
  const lockSpeed = bytes / 1e6 / cpu("lock, without removal");
  const openSpeed = bytes / 1e6 / cpu("open");
  return {
    place,
    corpus,
    lockToCopying: wall("lock") / copying,
    lockCpuToCopyCpu: cpu("lock, without removal") / cpu("cp -a"),
    openToLock: wall("open") / wall("lock"),
    relockToWalk: wall("lock again, unchanged, without removal") / wall("walk"),
    relockWhole: wall("lock again, unchanged") / wall("walk"),
    oneChangedToWalk: wall("lock again, one file changed, without removal") / wall("walk"),
    zipToLock: measured["AES ZIP"] ? wall("AES ZIP") / wall("lock") : null,
    lockToTar: wall("lock, without removal") / wall("tar | openssl"),
    lockSpeed,
    openSpeed,
    lockToFloor: lockSpeed / floor,
    openToFloor: openSpeed / floor,
    firstByteMs: 1000 * wall("first byte, median"),
    firstByte95Ms: 1000 * wall("first byte, 95 %"),
    openForReadingMs: 1000 * wall("open for reading"),
    lockPerFile: (1e6 * cpu("lock")) / files,
    lockMemoryMiB: (memory.lock - memory.idle) / 1024,
    openMemoryMiB: (memory.open - memory.idle) / 1024,
    noise: median(
      ["cp -a", "read, encrypt, write", "lock", "open", "lock again, unchanged"].map((name) =>
        spread(measured[name].wall),
      ),
    ),
  };
}

function table(heads, rows) {
  return [
    `| ${heads.join(" | ")} |`,
    `|${heads.map(() => "---").join("|")}|`,
    ...rows.map((row) => `| ${row.join(" | ")} |`),
  ].join("\n");
}

function goals(rows) {
  const of = (place, corpus) => rows.find((row) => row.place === place && row.corpus === corpus);
  const lines = [];
  const goal = (what, aim, reached, value) => {
    if (value !== undefined) lines.push([what, aim, value, reached ? "yes" : "**no**"]);
  };
  const at = (row, what, aim, value, ok) =>
    row && goal(`${what}, ${row.place}`, aim, ok(value(row)), number(value(row)));
  for (const place of ["tmpfs", "disk"]) {
    const small = of(place, "16,000 small files");
    at(
      small,
      "first lock of small files ÷ `cp -a; sync -f; rm -rf`",
      "≤ 1.3",
      (row) => row.lockToCopying,
      (value) => value <= 1.3,
    );
    if (place === "tmpfs")
      at(
        small,
        "the same without removal, CPU ÷ CPU of `cp -a`",
        "≤ 2",
        (row) => row.lockCpuToCopyCpu,
        (value) => value <= 2,
      );
    for (const corpus of ["1,000 of 1 MiB", "4 of 512 MiB"]) {
      const row = of(place, corpus);
      at(
        row,
        `lock of ${corpus}, MB per CPU second`,
        "≥ 500",
        (r) => r.lockSpeed,
        (value) => value >= 500,
      );
      at(
        row,
        `open of ${corpus}, MB per CPU second`,
        "≥ 500",
        (r) => r.openSpeed,
        (value) => value >= 500,
      );
      at(
        row,
        `lock of ${corpus}, part of reading, encrypting and writing alone`,
        "≥ 0.8",
        (r) => r.lockToFloor,
        (value) => value >= 0.8,
      );
      at(
        row,
        `open of ${corpus}, part of the same`,
        "≥ 0.8",
        (r) => r.openToFloor,
        (value) => value >= 0.8,
      );
    }
    for (const corpus of ["16,000 small files", "1,000 of 1 MiB", "4 of 512 MiB"])
      at(
        of(place, corpus),
        `open ÷ lock, ${corpus}`,
        "≤ 1.0",
        (row) => row.openToLock,
        (value) => value <= 1,
      );
    at(
      small,
      "lock again, nothing changed, without removal ÷ a readdir + lstat walk",
      "≤ 1.3",
      (row) => row.relockToWalk,
      (value) => value <= 1.3,
    );
    at(
      small,
      "lock again, one small file changed, without removal ÷ the walk",
      "≤ 1.3 and the file",
      (row) => row.oneChangedToWalk,
      (value) => value <= 1.4,
    );
    at(
      of(place, "100,000 small files"),
      "first byte of any of 100,000 files, milliseconds",
      "≤ 0.5",
      (row) => row.firstByteMs,
      (value) => value <= 0.5,
    );
    const [ten, hundred] = [of(place, "10,000 small files"), of(place, "100,000 small files")];
    if (ten && hundred) {
      goal(
        `CPU per file at 100,000 files ÷ at 10,000, ${place}`,
        "≤ 1.1",
        hundred.lockPerFile / ten.lockPerFile <= 1.1,
        number(hundred.lockPerFile / ten.lockPerFile),
      );
      at(
        hundred,
        "memory over an idle process locking 100,000 files, MiB",
        "< 100",
        (row) => row.lockMemoryMiB,
        (value) => value < 100,
      );
      at(
        hundred,
        "memory over an idle process opening 100,000 files, MiB",
        "< 100",
        (row) => row.openMemoryMiB,
        (value) => value < 100,
      );
    }
    at(
      small,
      "AES-256 ZIP by `bsdtar` ÷ lock, small files",
      "≥ 10",
      (row) => row.zipToLock,
      (value) => value >= 10,
    );
  }
  return table(["what, where", "goal", "measured", "reached"], lines);
}

export function report({ machine, startUp, results }) {
  const rows = results.map(ratiosOf);
  const details = table(
    [
      "place",
      "files",
      "lock ÷ cp, sync, rm",
      "open ÷ lock",
      "relock ÷ walk",
      "relock with removal ÷ walk",
      "lock ÷ `tar \\| openssl`",
      "AES ZIP ÷ lock",
      "lock MB/CPU s",
      "open MB/CPU s",
      "lock CPU µs per file",
      "first byte ms (95 %)",
      "open for reading ms",
      "noise",
    ],
    rows.map((row) => [
      row.place,
      row.corpus,
      number(row.lockToCopying),
      number(row.openToLock),
      number(row.relockToWalk),
      number(row.relockWhole),
      number(row.lockToTar),
      row.zipToLock === null ? "" : number(row.zipToLock),
      number(row.lockSpeed),
      number(row.openSpeed),
      number(row.lockPerFile),
      `${number(row.firstByteMs)} (${number(row.firstByte95Ms)})`,
      number(row.openForReadingMs),
      number(row.noise),
    ]),
  );
  const tables = `Medians of ${machine.rounds} interleaved rounds in one run, on ${machine.cores} cores (${machine.cpu}), ${machine.memoryGiB} GiB, Node ${machine.node}. Process start-up is not in
the figures: \`node\` alone takes ${number(1000 * startUp.node)} ms here, \`eremos help\` ${number(1000 * startUp.eremos)} ms.

${goals(rows)}

${details}
`;
  return {
    tables,
    json: `${JSON.stringify({ machine, startUpSeconds: startUp, ratios: rows, seconds: results }, null, 2)}\n`,
    intoDocument: (file) => {
      const [start, end] = ["<!-- measured -->", "<!-- end of measured -->"];
      const text = readFileSync(file, "utf8");
      writeFileSync(
        file,
        `${text.slice(0, text.indexOf(start) + start.length)}\n\n${tables}\n${text.slice(text.indexOf(end))}`,
      );
    },
  };
}
