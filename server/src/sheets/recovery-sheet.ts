import { EremosError, isGroupRight, normaliseCodeText } from "@eremos/core";
import type { RescueFile } from "../contract";
import { dayOf, printSheet } from "./sheet";
import { WITHOUT_EREMOS, readersSection } from "./words";

export interface RecoverySheet {
  readonly code: string;
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly readers: readonly RescueFile[];
}

/** The recovery sheet as a PDF for printing, the code as text and as a QR code. @throws EremosError `wrong-code` */
export async function recoverySheet({ code, at, readers }: RecoverySheet): Promise<Buffer> {
  const groups = normaliseCodeText(code).match(/.{5}/g) ?? [];
  if (groups.length !== 8 || !groups.every((group, i) => isGroupRight(i, group)))
    throw new EremosError("wrong-code", "That is not a whole recovery code. Nothing was made.");
  return printSheet({
    title: "Eremos recovery sheet",
    name: null,
    introduction: `Made on ${dayOf(at)}. This code opens every folder of its owner, without the master password; folders with a password of their own, too. Whoever has this sheet can open them: keep it with your papers, not beside the computer.`,
    groups,
    at,
    sections: [
      {
        title: "When you type it",
        lines: [
          "Eight groups of five. Capitals, spaces and dashes don’t matter. The letters I, L, O and U do not occur: what looks like them is a 1, a 1, a 0 and a V. The last character of each group checks the others, so that a mistyped group is named at once.",
        ],
      },
      {
        title: "You forgot the master password",
        lines: [
          "Start Eremos, and choose “I forgot my master password” where it asks for it. The code sets a new one; your folders stay as they are.",
        ],
      },
      {
        title: "Eremos is gone, or this is another computer",
        lines: [
          "With Eremos: choose “I have folders that Eremos locked before” when it starts for the first time. It finds them on the disk.",
          WITHOUT_EREMOS("type this code", "--code"),
        ],
      },
      ...readersSection(readers),
      {
        title: "A newer code",
        lines: [
          "When you make a new code, this sheet stops working for everything Eremos can reach then. Copies and drives that were not there keep opening with it: keep it until Eremos says that nothing is left, then destroy it.",
        ],
      },
    ],
  });
}
