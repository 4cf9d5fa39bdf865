import { resolve } from "node:path";
import { EremosError, type RescueSecret, type ScanFound, describeFound, describeReport, directorySource, findLocked, rescue, scan } from "@eremos/core";
import { mend, practice, resetPassword, returnOwner, scanPlaces } from "@eremos/server";
import { type Command, type Invocation, hintOf, noWords, oneWord, only, openGate, ownSecret, withEremos } from "./invocation";
import { endProgress, showProgress } from "./progress";

/** Getting back in, and everything out: what works without the list, the database, or the password. */
export const rescueCommand: Command = async (invocation) => {
  only(invocation, "password-stdin", "code-stdin", "with-code", "to");
  const folder = resolve(oneWord(invocation, "folder"));
  const { to } = invocation.flags;
  if (typeof to !== "string" || to === "") throw new EremosError("usage", "Say where to: --to DIRECTORY, an empty or a new one on a disk with enough room.");
  const from = Buffer.from(folder);
  const target = resolve(to);
  const report = await rescue({ folder: from, to: Buffer.from(target), secret: () => rescueSecret(from, invocation), progress: (progress) => showProgress("", "unlock", { phase: "restoring", ...progress }) });
  endProgress();
  return { result: report, lines: describeReport(report, target), exitCode: report.damaged.length > 0 || report.problems.length > 0 ? 5 : 0 };
};

async function rescueSecret(folder: Buffer, { asking, flags }: Invocation): Promise<RescueSecret> {
  if (flags["code-stdin"] || flags["with-code"]) return { kind: "code", code: await asking.ask("Recovery code") };
  const { hasPassword, hint } = await findLocked(directorySource(folder));
  const password = await asking.ask("Master password");
  return { kind: "password", password, folderPassword: hasPassword ? await asking.ask(`Password of this folder${hint === null ? "" : ` (hint: ${hint})`}`) : null };
}

export const recoverCommand: Command = async (invocation) => {
  only(invocation, "password-stdin", "code-stdin", "with-code", "hint");
  const { words, flags, asking } = invocation;
  if (words.length > 1) throw new EremosError("usage", "This command takes one folder at most. `eremos help` lists the commands.");
  const [folder] = words;
  const hint = hintOf(invocation);
  return withEremos(invocation, async (eremos) => {
    if (folder === undefined) {
      eremos.requireOwner();
      const code = await asking.ask("Recovery code");
      const { left } = await resetPassword(eremos, { code, password: await asking.ask("New master password", true), hint });
      const lines = ["The new master password is set. The recovery code stays as it is.", ...left.map(({ path }) => `Out of reach now, and opening with the old password until you sign in while it is there: ${path}`)];
      return { result: { left }, lines };
    }
    const isCode = flags["code-stdin"] === true || flags["with-code"] === true;
    await scanPlaces(eremos, null, process.cwd());
    const secret = isCode ? { kind: "code" as const, code: await asking.ask("Recovery code") } : { kind: "password" as const, password: await asking.ask("Master password") };
    const result = await returnOwner(eremos, { path: resolve(folder), secret, password: isCode ? await asking.ask("New master password", true) : null, hint });
    const lines = [`${result.taken.length} of your folders are listed again${result.taken.length > 0 ? `: ${result.taken.join(", ")}` : ""}.`, ...result.left.map(({ path, reason }) => `Not yet: ${path}. ${reason}`)];
    return { result, lines };
  });
};

export const mendCommand: Command = async (invocation) => {
  only(invocation, "password-stdin", "with-code");
  const path = resolve(oneWord(invocation, "path"));
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const { hasPassword, hint } = await findLocked(directorySource(Buffer.from(path))).catch(() => ({ hasPassword: false, hint: null }));
    const secret = hasPassword ? await ownSecret(invocation, hint) : null;
    const mended = await mend(eremos, { path, secret });
    return { result: { mended }, lines: [mended.length === 0 ? "Its records are whole: there was nothing to mend." : `Written anew: ${mended.join(", ")}.`] };
  });
};

export const practiceCommand: Command = async (invocation) => {
  only(invocation, "password-stdin", "code-stdin");
  noWords(invocation);
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const { folders } = await practice(eremos, await invocation.asking.ask("Recovery code"));
    const failed = folders.filter(({ problem }) => problem !== null);
    const lines = [failed.length === 0 ? `The code opens ${folders.length === 1 ? "the one sealed folder" : `all ${folders.length} sealed folders`}. Nothing was changed.` : `The code does not open ${failed.length} of ${folders.length}:`, ...failed.map(({ path, problem }) => `  ${path}: ${problem}`)];
    return { result: { folders }, lines, exitCode: failed.length === 0 ? 0 : 5 };
  });
};

export const scanCommand: Command = async (invocation) => {
  only(invocation);
  const place = resolve(oneWord(invocation, "place"));
  const found: ScanFound[] = [];
  let isStopped = false;
  process.once("SIGINT", () => (isStopped = true));
  const { directories, unreadable, isStopped: wasStopped } = await scan({
    places: [Buffer.from(place)], isStopped: () => isStopped, onFound: (one) => void found.push(one),
    onProgress: (progress) => showProgress("", "check", { phase: "looking", files: progress.directories, filesTotal: 0, bytes: 0, bytesTotal: 0 }),
  });
  endProgress();
  const end = `${found.length === 1 ? "1 protected folder" : `${found.length} protected folders`} found in ${directories.toLocaleString("en")} directories${wasStopped ? "; stopped before the end" : ""}.`;
  const lines = [...found.flatMap(describeFound), end, ...unreadable.map((one) => `Not looked into (no permission, or the disk can't read it): ${one}`)];
  return { result: { found: found.map((one) => ({ ...one, path: one.path.toString("utf8") })), directories, unreadable, stopped: wasStopped }, lines, exitCode: wasStopped ? 6 : 0 };
};
