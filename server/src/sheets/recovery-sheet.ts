import { EremosError, isGroupRight, normaliseCodeText } from "@eremos/core";
import type { RescueFile } from "../contract";
import { dayOf, printSheet } from "./sheet";
import { WITHOUT_EREMOS, readersSection } from "./words";
import { said, say } from "@eremos/words/server/papers";

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
    throw new EremosError("wrong-code", said("that-is-not-whole-recovery"));
  return printSheet({
    title: say("eremos-recovery-sheet"),
    name: null,
    introduction: say("made-on-this-code-opens", { day: dayOf(at) }),
    secret: { groups },
    at,
    sections: [
      {
        title: say("when-you-type-it"),
        lines: [say("eight-groups-five-capitals-spaces")],
      },
      {
        title: say("you-forgot-master-password"),
        lines: [say("start-eremos-and-choose-i")],
      },
      {
        title: say("eremos-is-gone-or-this"),
        lines: [say("with-eremos-choose-i-have"), WITHOUT_EREMOS(say("type-this-code"), "--code")],
      },
      ...readersSection(readers),
      {
        title: say("newer-code"),
        lines: [say("when-you-make-new-code")],
      },
    ],
  });
}
