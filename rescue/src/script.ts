import * as path from "node:path";
import { parseArgs } from "node:util";
import password from "@inquirer/password";
import {
  EremosError,
  type RescueReport,
  type RescueSecret,
  type ScanFound,
  describeFound,
  describeReport,
  directorySource,
  findLocked,
  fromSystemError,
  printable,
  printableJson,
  rescue,
  scan,
} from "@eremos/core/rescue/on-disk";

const USAGE = `rescue.mjs: gets everything out of a folder that Eremos locked, without Eremos. Needs Node.js 20 or newer, and nothing else.

  node rescue.mjs FOLDER --to DIRECTORY   bring everything out of a locked folder; nothing in it is changed
  node rescue.mjs scan PLACE              look for locked folders, hidden ones too

  --password-stdin   the master password is the first line of standard input, the folder's own password, where it has one, the second
  --code-stdin       the recovery code is the first line of standard input
  --shares-stdin     keyholders' shares are the lines of standard input
  --code             ask for the recovery code instead of the password
  --shares           ask for keyholders' shares instead of the password
  --accept unknown   although nobody known stands behind what was locked: whoever did it chose everything in it
  --json             one JSON document on standard output

FOLDER is the one that has a directory called .eremos in it, whatever its name is now.
Exit codes: 0 everything came out, 2 wrong usage, 3 wrong password or code, 4 refused, 5 some of it is damaged, 6 failed. The locked folder is as it was in every case.
`;
const EXIT_CODES = { usage: 2, password: 3, refused: 4, damage: 5, failed: 6 } as const;

interface Flags {
  readonly to?: string | undefined;
  readonly json?: boolean | undefined;
  readonly accept?: string | undefined;
  readonly code?: boolean | undefined;
  readonly shares?: boolean | undefined;
  readonly help?: boolean | undefined;
  readonly "password-stdin"?: boolean | undefined;
  readonly "code-stdin"?: boolean | undefined;
  readonly "shares-stdin"?: boolean | undefined;
}

async function secretFor(folder: Buffer, flags: Flags): Promise<RescueSecret> {
  const { hasPassword, hint } = await findLocked(directorySource(folder));
  if (flags["shares-stdin"])
    return { kind: "shares", shares: (await linesOfInput()).filter((line) => line.trim() !== "") };
  if (flags["code-stdin"] || flags["password-stdin"]) {
    const [first = "", second = ""] = (await linesOfInput()).map((line) => line.replace(/\r$/, ""));
    return flags["code-stdin"]
      ? { kind: "code", code: first }
      : { kind: "password", password: first, folderPassword: hasPassword ? second : null };
  }
  if (!process.stdin.isTTY)
    throw new EremosError(
      "usage",
      "The password is asked at a terminal. Here there is none: give it with --password-stdin, the recovery code with --code-stdin, or shares with --shares-stdin.",
    );
  if (flags.code) return { kind: "code", code: await ask("Recovery code") };
  if (flags.shares) return { kind: "shares", shares: await askShares() };
  const master = await ask("Master password");
  return {
    kind: "password",
    password: master,
    folderPassword: hasPassword ? await ask(`Password of this folder${hint === null ? "" : ` (hint: ${hint})`}`) : null,
  };
}

/** Until an empty one. */
async function askShares(): Promise<string[]> {
  const shares: string[] = [];
  for (;;) {
    const share = await ask(`Share ${shares.length + 1} (nothing: these are all)`);
    if (share.trim() === "") return shares;
    shares.push(share);
  }
}

async function linesOfInput(): Promise<string[]> {
  const parts: Buffer[] = [];
  for await (const part of process.stdin) parts.push(Buffer.from(part as Uint8Array));
  return Buffer.concat(parts).toString("utf8").split("\n");
}

function ask(message: string): Promise<string> {
  return password({ message: printable(message), mask: false }, { output: process.stderr });
}

/** Nothing that a stranger named reaches a terminal as anything but plain text. */
function say(line: string): void {
  process.stdout.write(`${printable(line)}\n`);
}

async function rescueCommand(folder: string, flags: Flags): Promise<number> {
  if (flags.to === undefined)
    throw new EremosError("usage", "Say where to: --to DIRECTORY, an empty or a new one on a disk with enough room.");
  const from = Buffer.from(path.resolve(folder));
  const report: RescueReport = await rescue({
    folder: from,
    to: Buffer.from(path.resolve(flags.to)),
    secret: () => secretFor(from, flags),
    acceptUnknown: flags.accept === "unknown",
    progress: showProgress(),
  });
  endProgress();
  if (flags.json) say(printableJson(report));
  else describeReport(report, path.resolve(flags.to)).forEach(say);
  return report.damaged.length > 0 || report.problems.length > 0 ? 5 : 0;
}

async function scanCommand(place: string, flags: Flags): Promise<number> {
  const found: ScanFound[] = [];
  const show = showProgress();
  const { unreadable, directories } = await scan({
    places: [Buffer.from(path.resolve(place))],
    isStopped: () => false,
    onFound: (one) => void found.push(one),
    onProgress: ({ directories: count }) => show({ files: count, filesTotal: 0, bytes: 0, bytesTotal: 0 }),
  });
  endProgress();
  if (flags.json)
    say(
      printableJson({
        found: found.map((one) => ({ ...one, path: one.path.toString("utf8") })),
        directories,
        unreadable,
      }),
    );
  else
    [
      ...found.flatMap(describeFound),
      `${found.length} found in ${directories} directories.`,
      ...unreadable.map((one) => `Not looked into (no permission, or the disk can't read it): ${one}`),
    ].forEach(say);
  return 0;
}

function showProgress(): (progress: {
  readonly files: number;
  readonly filesTotal: number;
  readonly bytes: number;
  readonly bytesTotal: number;
}) => void {
  let shownAt = 0;
  return ({ files, filesTotal, bytes, bytesTotal }) => {
    if (!process.stderr.isTTY || Date.now() - shownAt < 100) return;
    shownAt = Date.now();
    process.stderr.write(
      `\r\u001b[K${bytesTotal > 0 ? `${Math.floor((100 * bytes) / bytesTotal)} %, ` : ""}${files}${filesTotal > 0 ? ` of ${filesTotal}` : ""}`,
    );
  };
}

function endProgress(): void {
  if (process.stderr.isTTY) process.stderr.write("\r\u001b[K");
}

async function main(words: readonly string[]): Promise<number> {
  let json = false;
  try {
    const { values, positionals } = parseArgs({
      args: [...words],
      allowPositionals: true,
      options: {
        to: { type: "string" },
        json: { type: "boolean" },
        accept: { type: "string" },
        code: { type: "boolean" },
        shares: { type: "boolean" },
        "shares-stdin": { type: "boolean" },
        "password-stdin": { type: "boolean" },
        "code-stdin": { type: "boolean" },
        help: { type: "boolean", short: "h" },
      },
    });
    json = values.json === true;
    const [first, second] = positionals;
    if (values.help || first === undefined) {
      process.stdout.write(USAGE);
      return first === undefined && !values.help ? 2 : 0;
    }
    return first === "scan" && second !== undefined
      ? await scanCommand(second, values)
      : await rescueCommand(first, values);
  } catch (caught) {
    endProgress();
    const error = isParseError(caught)
      ? new EremosError("usage", `${caught.message}. --help lists what there is.`)
      : fromSystemError(caught, "working; the locked folder is as it was");
    if (json) say(printableJson({ error: { code: error.code, message: error.message } }));
    process.stderr.write(`${printable(`rescue: ${error.message}`)}\n`);
    return EXIT_CODES[error.class];
  }
}

function isParseError(error: unknown): error is Error {
  return error instanceof Error && "code" in error && String(error.code).startsWith("ERR_PARSE_ARGS");
}

process.exitCode = await main(process.argv.slice(2));
process.stdin.destroy();
