import type { JobVerb, Progress } from "@eremos/server";
import { say } from "@eremos/words/cli";

const WORDS: Readonly<Record<Progress["phase"], string>> = {
  looking: say("looking-at-folder"),
  sealing: "Sealing",
  "making-durable": say("making-it-durable"),
  moving: say("taking-plain-copy-away"),
  overwriting: "Overwriting",
  removing: say("removing-plain-copy"),
  restoring: "Restoring",
  checking: "Checking",
};

let lastPhase = "";

/** One line on standard error: rewritten at a terminal, one a phase elsewhere. */
export function showProgress(_folder: string, _verb: JobVerb, progress: Progress): void {
  const part = progress.bytesTotal > 0 ? ` ${Math.floor((100 * progress.bytes) / progress.bytesTotal)} %` : "";
  const files = progress.filesTotal > 0 ? say("files", { files: progress.files, filesTotal: progress.filesTotal }) : "";
  if (process.stderr.isTTY) process.stderr.write(`\r\u001b[K${WORDS[progress.phase]}${part}${files}`);
  else if (progress.phase !== lastPhase) process.stderr.write(`${WORDS[progress.phase]}\n`);
  lastPhase = progress.phase;
}

export function endProgress(): void {
  if (process.stderr.isTTY && lastPhase !== "") process.stderr.write("\r\u001b[K");
}
