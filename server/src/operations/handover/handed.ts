import { EremosError } from "@eremos/core";
import type { HandedOverView } from "../../contract";
import type { Eremos } from "../../eremos";
import { requireMailServer } from "../ways-back/keyholders";
import { packageName } from "./hand-over";
import { said, say } from "@eremos/words/server/handover";
import { said as saidOnPaper, say as sayOnPaper } from "@eremos/words/server/papers";

/** What was handed over, the newest first. */
export function handedOver(eremos: Eremos): readonly HandedOverView[] {
  return eremos.documents.get(eremos.requireKeys(), "handed") ?? [];
}

function handedOne(eremos: Eremos, id: string): HandedOverView {
  const found = handedOver(eremos).find((one) => one.id === id);
  if (!found) throw new EremosError("not-found", said("nothing-written-down-of-it"));
  return found;
}

/** @throws EremosError `not-found` */
export function noteHandedOver(eremos: Eremos, id: string, written: Pick<HandedOverView, "to" | "note">): void {
  handedOne(eremos, id);
  const all = handedOver(eremos).map((one) => (one.id === id ? { ...one, ...written } : one));
  eremos.documents.put(eremos.requireKeys(), "handed", all);
}

/** What was written down of one goes; the package stays. @throws EremosError `not-found` */
export function forgetHandedOver(eremos: Eremos, id: string): void {
  handedOne(eremos, id);
  const rest = handedOver(eremos).filter((one) => one.id !== id);
  eremos.documents.put(eremos.requireKeys(), "handed", [...rest]);
}

/** A PDF with the password, which is not kept. @throws EremosError `not-found` */
export async function paperFor(eremos: Eremos, id: string, password: Uint8Array): Promise<Buffer> {
  const one = handedOne(eremos, id);
  const { packagePaper } = await import("../../sheets/package-paper");
  return packagePaper({ ...one, name: packageName(one), password: Buffer.from(password).toString("utf8") });
}

/** Sends that paper, and never the package. @throws EremosError `not-found` | `not-set-up` | `io` */
export async function mailPaper(
  eremos: Eremos,
  {
    id,
    password,
    name,
    mail,
  }: { readonly id: string; readonly password: Uint8Array; readonly name: string; readonly mail: string },
): Promise<void> {
  const server = requireMailServer(eremos);
  const pdf = await paperFor(eremos, id, password);
  const { sendPaper } = await import("../../mail/send-paper");
  await sendPaper(server, {
    to: { name, address: mail },
    subject: sayOnPaper("password-for-you"),
    text: sayOnPaper("password-mail", { name, file: packageName(handedOne(eremos, id)) }),
    filename: say("paper-name"),
    pdf,
    failed: (error) => saidOnPaper("paper-mail-not-taken", { error }),
  });
}
