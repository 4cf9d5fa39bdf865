import { SHARE_GROUPS, normaliseCodeText } from "@eremos/core";
import type { RescueFile } from "../contract";
import { dayOf, printSheet } from "./sheet";
import { WITHOUT_EREMOS, readersSection } from "./words";

export interface ShareSheet {
  readonly share: string;
  /** Who holds it. */
  readonly holder: string;
  /** Whose folders it opens, as the owner put it. */
  readonly of: string;
  readonly number: number;
  readonly count: number;
  readonly threshold: number;
  /** When the set was made, milliseconds since 1970. */
  readonly at: number;
  readonly readers: readonly RescueFile[];
}

/** A keyholder's share as a PDF for printing, as text and as a QR code. @throws RangeError */
export async function shareSheet({
  share,
  holder,
  of,
  number,
  count,
  threshold,
  at,
  readers,
}: ShareSheet): Promise<Buffer> {
  const groups = normaliseCodeText(share).match(/.{5}/g) ?? [];
  if (groups.length !== SHARE_GROUPS)
    throw new RangeError(`share must have ${SHARE_GROUPS} groups, got ${groups.length}`);
  return printSheet({
    title: "Eremos keyholder’s share",
    name: `${holder}, for ${of}`,
    introduction: `Share ${number} of ${count}, made on ${dayOf(at)}. Any ${threshold} of the ${count} shares together open every folder of whoever made them. This one alone opens nothing, and tells nothing. Keep it with your papers; give it to nobody but the owner, or those whom the owner named for it.`,
    groups,
    at,
    sections: [
      {
        title: "When you type it",
        lines: [
          "Twelve groups of five. Capitals, spaces and dashes don’t matter. The letters I, L, O and U do not occur: what looks like them is a 1, a 1, a 0 and a V. The last character of each group checks the others, so that a mistyped group is named at once.",
        ],
      },
      {
        title: "When it is needed",
        lines: [
          `Bring ${threshold} shares together. With Eremos, on the owner’s computer: choose “I forgot my master password” where it asks for it, then “Keyholders’ shares”. On another computer: choose “I have folders that Eremos locked before” when it starts for the first time.`,
          WITHOUT_EREMOS("type the shares", "--shares"),
        ],
      },
      ...readersSection(readers),
      {
        title: "If the owner names other keyholders",
        lines: [
          "Then everybody gets a new share, and this one stops working for everything Eremos can reach then. Copies and drives that were not there keep opening with the earlier shares: give this sheet back to the owner, or destroy it when the owner says so.",
        ],
      },
    ],
  });
}
