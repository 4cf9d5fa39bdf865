import { EremosError } from "@eremos/core";
import nodemailer from "nodemailer";
import type { MailServer } from "../documents";

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
      subject: `A share for you to keep, for ${of}`,
      text: wordsFor({ holder, of, threshold, count }),
      attachments: [{ filename: "keyholder-share.pdf", content: pdf, contentType: "application/pdf" }],
    });
  } catch (error) {
    throw new EremosError(
      "io",
      `The mail server did not take it (${error instanceof Error ? error.message : String(error)}). The share was not handed over; look at the mail server\u2019s settings, or print the sheet.`,
    );
  } finally {
    transport.close();
  }
}

function wordsFor({ holder, of, threshold, count }: Pick<ShareMail, "holder" | "of" | "threshold" | "count">): string {
  return `Dear ${holder},

${of} has named you a keyholder. In the attached sheet there is a share: ${threshold} of ${count} such shares together open folders of ${of} that are locked, should their own way in be lost one day. Your share alone opens nothing and tells nothing.

Please print the sheet and keep it with your papers, then delete this mail. Give it to nobody but ${of}, or those whom ${of} named for it; if somebody else asks you for it, ask ${of} first.
`;
}
