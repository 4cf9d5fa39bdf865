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
import { said, say } from "@eremos/words/reader";
import { wordsOfError } from "./words-of-error";

const USAGE = say("rescue-mjs-gets-everything-out");
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
  if (!process.stdin.isTTY) throw new EremosError("usage", said("password-is-asked-at-terminal"));
  if (flags.code) return { kind: "code", code: await ask(say("recovery-code")) };
  if (flags.shares) return { kind: "shares", shares: await askShares() };
  const master = await ask(say("master-password"));
  return {
    kind: "password",
    password: master,
    folderPassword: hasPassword ? await ask(say("password-this-folder", { noHint: hint === null, hint })) : null,
  };
}

/** Until an empty one. */
async function askShares(): Promise<string[]> {
  const shares: string[] = [];
  for (;;) {
    const share = await ask(say("share-nothing-these-are-all", { shares: shares.length + 1 }));
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
function print(line: string): void {
  process.stdout.write(`${printable(line)}\n`);
}

async function rescueCommand(folder: string, flags: Flags): Promise<number> {
  if (flags.to === undefined) throw new EremosError("usage", said("say-where-directory-empty-or"));
  const from = Buffer.from(path.resolve(folder));
  const report: RescueReport = await rescue({
    folder: from,
    to: Buffer.from(path.resolve(flags.to)),
    secret: () => secretFor(from, flags),
    acceptUnknown: flags.accept === "unknown",
    progress: showProgress(),
  });
  endProgress();
  if (flags.json) print(printableJson(report));
  else describeReport(report, path.resolve(flags.to)).forEach(print);
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
    print(
      printableJson({
        found: found.map((one) => ({ ...one, path: one.path.toString("utf8") })),
        directories,
        unreadable,
      }),
    );
  else
    [
      ...found.flatMap(describeFound),
      say("found-in-directories", { found: found.length, directories }),
      ...unreadable.map((one) => say("not-looked-into-no-permission", { one })),
    ].forEach(print);
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
      `\r\u001b[K${bytesTotal > 0 ? `${Math.floor((100 * bytes) / bytesTotal)} %, ` : ""}${files}${filesTotal > 0 ? say("of", { filesTotal }) : ""}`,
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
      ? new EremosError("usage", said("help-lists-what-there-is", { caught: caught.message }))
      : fromSystemError(caught, said("working-locked-folder-is-as"));
    if (json) print(printableJson({ error: { code: error.code, message: wordsOfError(error) } }));
    process.stderr.write(`${printable(`rescue: ${wordsOfError(error)}`)}\n`);
    return EXIT_CODES[error.class];
  }
}

function isParseError(error: unknown): error is Error {
  return error instanceof Error && "code" in error && String(error.code).startsWith("ERR_PARSE_ARGS");
}

process.exitCode = await main(process.argv.slice(2));
process.stdin.destroy();
