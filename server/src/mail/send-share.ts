import { EremosError } from "@eremos/core";
import nodemailer from "nodemailer";
import type { MailServer } from "../documents";
import { said, say } from "@eremos/words/server/papers";

export interface ShareMail {
  readonly to: string;
  readonly holder: string;
  readonly of: string;
  readonly threshold: number;
  readonly count: number;
  /** The share's sheet. */
  readonly pdf: Buffer;
}

const PATIENCE_MS = 20_000;

/** Sends a keyholder's sheet, and ends when the mail server has taken it. @throws EremosError `io` */
export async function sendShare(
  { host, port, security, user, password, from }: MailServer,
  { to, holder, of, threshold, count, pdf }: ShareMail,
): Promise<void> {
  const transport = nodemailer.createTransport({
    host,
    port,
    secure: security === "tls",
    requireTLS: security === "starttls",
    ignoreTLS: security === "none",
    ...(user === "" ? {} : { auth: { user, pass: password } }),
    connectionTimeout: PATIENCE_MS,
    greetingTimeout: PATIENCE_MS,
    socketTimeout: PATIENCE_MS,
    disableFileAccess: true,
    disableUrlAccess: true,
  });
  try {
    await transport.sendMail({
      from,
      to: { name: holder, address: to },
      subject: say("share-for-you-keep-for", { of }),
      text: wordsFor({ holder, of, threshold, count }),
      attachments: [{ filename: "keyholder-share.pdf", content: pdf, contentType: "application/pdf" }],
    });
  } catch (error) {
    throw new EremosError(
      "io",
      said("mail-server-did-not-take", { error: error instanceof Error ? error.message : String(error) }),
    );
  } finally {
    transport.close();
  }
}

function wordsFor({ holder, of, threshold, count }: Pick<ShareMail, "holder" | "of" | "threshold" | "count">): string {
  return say("dear-has-named-you-keyholder", { holder, of, threshold, count });
}
