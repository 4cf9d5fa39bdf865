import { EremosError } from "@eremos/core";
import nodemailer from "nodemailer";
import type { MailServer } from "../documents";
import { said, say } from "@eremos/words/server/papers";

export interface PaperMail {
  readonly to: { readonly name: string; readonly address: string };
  readonly subject: string;
  readonly text: string;
  readonly filename: string;
  readonly pdf: Buffer;
  /** What is said where it could not be sent. */
  readonly failed: (error: string) => ReturnType<typeof said>;
}

const PATIENCE_MS = 20_000;

/** Sends a paper, and ends when the mail server has taken it. @throws EremosError `io` */
export async function sendPaper(
  { host, port, security, user, password, from }: MailServer,
  { to, subject, text, filename, pdf, failed }: PaperMail,
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
      to,
      subject,
      text,
      attachments: [{ filename, content: pdf, contentType: "application/pdf" }],
    });
  } catch (error) {
    throw new EremosError("io", failed(error instanceof Error ? error.message : String(error)));
  } finally {
    transport.close();
  }
}

export interface ShareWords {
  readonly holder: string;
  readonly of: string;
  readonly threshold: number;
  readonly count: number;
}

/** What goes with a keyholder's sheet. */
export function shareMail(address: string, { holder, of, threshold, count }: ShareWords, pdf: Buffer): PaperMail {
  return {
    to: { name: holder, address },
    subject: say("share-for-you-keep-for", { of }),
    text: say("dear-has-named-you-keyholder", { holder, of, threshold, count }),
    filename: "keyholder-share.pdf",
    pdf,
    failed: (error) => said("mail-server-did-not-take", { error }),
  };
}
