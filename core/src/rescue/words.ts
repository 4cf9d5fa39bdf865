import { traitsOf } from "../format/guards";
import type { ScanFound } from "./scan";
import type { RescueReport } from "./bring-out/report";
import { say } from "@eremos/words/core/rescue";
import { say as sayGuard } from "@eremos/words/guards";

/** What came out, in words: what a person needs to know first, first. */
export function describeReport(
  { files, bytes, damaged, problems, notGiven, generation, guard }: RescueReport,
  to: string,
): string[] {
  const lines = [say("files-bytes-them-damaged-are", { files, bytes, damaged: damaged.length, to })];
  if (traitsOf(guard).encrypts && generation === null && problems.length > 0)
    lines.push(say("they-come-from-folders-packs"));
  if (damaged.length > 0)
    lines.push(
      "",
      say("damaged-with-zeros-where-nothing"),
      ...damaged.map(({ path, size, lost }) => say("bytes", { path, ranges: rangesOf(lost), size })),
    );
  if (problems.length > 0) lines.push("", say("about-folder"), ...problems.map((problem) => `  ${problem}`));
  if (notGiven.length > 0) lines.push("", say("not-given-back-here"), ...notGiven.map((one) => `  ${one}`));
  return [...lines, "", say("locked-folder-is-as-it")];
}

function rangesOf(lost: RescueReport["damaged"][number]["lost"]): string {
  const shown = lost.slice(0, 5).map(({ offset, length }) => say("bytes-2", { offset, last: offset + length - 1 }));
  return `${shown.join(", ")}${lost.length > shown.length ? say("and-more", { lost: lost.length - shown.length }) : ""}`;
}

export function describeFound({
  path,
  guard,
  visibility,
  isOpen,
  hasPassword,
  hint,
  lockedAt,
  problems,
}: ScanFound): string[] {
  const what =
    guard === null
      ? say("protected-but-its-records-are")
      : `${traitsOf(guard).word}${traitsOf(guard).encrypts ? "" : say("not-encrypted")}`;
  const facts = [
    what,
    isOpen ? say("lies-open") : null,
    visibility === null ? null : sayGuard(visibility),
    hasPassword ? say("has-password-its-own", { noHint: hint === null, hint }) : null,
    lockedAt === null
      ? null
      : say("last-locked", { time: new Date(lockedAt).toISOString().slice(0, 16).replace("T", " ") }),
  ];
  return [
    path.toString("utf8"),
    `  ${facts.filter((fact) => fact !== null).join(", ")}`,
    ...problems.map((problem) => `  ${problem}`),
  ];
}
