import { traitsOf } from "../format/guards";
import type { ScanFound } from "./scan";
import type { RescueReport } from "./to-directory";

/** What came out, in words: what a person needs to know first, first. */
export function describeReport(
  { files, bytes, damaged, problems, notGiven, generation, guard }: RescueReport,
  to: string,
): string[] {
  const lines = [
    `${count(files, "file")}, ${bytes.toLocaleString("en")} bytes, ${damaged.length === 0 ? "all whole" : `${damaged.length} of them damaged`}, ${files === 1 ? "is" : "are"} in ${to}.`,
  ];
  if (traitsOf(guard).encrypts && generation === null && problems.length > 0)
    lines.push("They come from the folder's packs alone.");
  if (damaged.length > 0)
    lines.push(
      "",
      "Damaged, with zeros where nothing can be read:",
      ...damaged.map(({ path, size, lost }) => `  ${path}: ${rangesOf(lost)} of ${size.toLocaleString("en")} bytes`),
    );
  if (problems.length > 0) lines.push("", "About the folder:", ...problems.map((problem) => `  ${problem}`));
  if (notGiven.length > 0) lines.push("", "Not given back here:", ...notGiven.map((one) => `  ${one}`));
  return [...lines, "", "The locked folder is as it was."];
}

function rangesOf(lost: RescueReport["damaged"][number]["lost"]): string {
  const shown = lost
    .slice(0, 5)
    .map(
      ({ offset, length }) => `bytes ${offset.toLocaleString("en")} to ${(offset + length - 1).toLocaleString("en")}`,
    );
  return `${shown.join(", ")}${lost.length > shown.length ? ` and ${lost.length - shown.length} more` : ""}`;
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
      ? "protected, but its records are damaged"
      : `${traitsOf(guard).word}${traitsOf(guard).encrypts ? "" : " (not encrypted)"}`;
  const where = { view: "in view", hidden: "hidden in place", tucked: "tucked away" };
  const facts = [
    what,
    isOpen ? "lies open" : null,
    visibility === null ? null : where[visibility],
    hasPassword ? `has a password of its own${hint === null ? "" : ` (hint: ${hint})`}` : null,
    lockedAt === null ? null : `last locked ${new Date(lockedAt).toISOString().slice(0, 16).replace("T", " ")}`,
  ];
  return [
    path.toString("utf8"),
    `  ${facts.filter((fact) => fact !== null).join(", ")}`,
    ...problems.map((problem) => `  ${problem}`),
  ];
}

function count(number: number, noun: string): string {
  return `${number.toLocaleString("en")} ${noun}${number === 1 ? "" : "s"}`;
}
