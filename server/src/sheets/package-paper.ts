import type { HandedOverView } from "../contract";
import { dayOf, printSheet } from "./sheet";
import { say } from "@eremos/words/server/papers";

const HOW = { page: "how-page-opens", zip: "how-zip-opens", folder: "how-folder-opens" } as const;

export type PackagePaper = Pick<HandedOverView, "at" | "form" | "sha256" | "to"> & {
  /** What the package is called on the disk. */
  readonly name: string;
  readonly password: string;
};

/** A package's password as a PDF for printing, as text and as a QR code. */
export async function packagePaper({ at, form, sha256, to, name, password }: PackagePaper): Promise<Buffer> {
  return printSheet({
    title: say("package-paper"),
    name: to === "" ? null : say("package-for", { to }),
    introduction: say("package-paper-is", { day: dayOf(at), name }),
    secret: { phrase: password },
    at,
    sections: [
      { title: say("how-it-opens"), lines: [say(HOW[form])] },
      {
        title: say("which-package-it-is"),
        lines: [sha256 === null ? say("package-has-no-digest", { name }) : say("package-digest", { sha256 })],
      },
      { title: say("afterwards"), lines: [say("destroy-this-paper")] },
    ],
  });
}
