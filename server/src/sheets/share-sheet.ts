import { SHARE_GROUPS, normaliseCodeText } from "@eremos/core";
import type { RescueFile } from "../contract";
import { dayOf, printSheet } from "./sheet";
import { WITHOUT_EREMOS, readersSection } from "./words";
import { say } from "@eremos/words/server/papers";

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
    title: say("eremos-keyholders-share"),
    name: say("for", { holder, of }),
    introduction: say("share-made-on-any-shares", { number, count, day: dayOf(at), threshold }),
    secret: { groups },
    at,
    sections: [
      {
        title: say("when-you-type-it"),
        lines: [say("twelve-groups-five-capitals-spaces")],
      },
      {
        title: say("when-it-is-needed"),
        lines: [
          say("bring-shares-together-with-eremos", { threshold }),
          WITHOUT_EREMOS(say("type-shares"), "--shares"),
        ],
      },
      ...readersSection(readers),
      {
        title: say("if-owner-names-other-keyholders"),
        lines: [say("then-everybody-gets-new-share")],
      },
    ],
  });
}
