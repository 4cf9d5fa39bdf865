import {
  EremosError,
  type Password,
  directorySource,
  findLocked,
  isEremosError,
  keyholdersOf,
  lookAtShares,
  withKeyholders,
} from "@eremos/core";
import type { Checked, KeyholdersView, PasswordChanged, SharesLook } from "../../contract";
import type { KeyholdersDocument, MailServer } from "../../documents";
import type { Eremos } from "../../eremos";
import { rescueFiles } from "../../rescue-files";
import type { Keys } from "../../session/keys";
import { readOwnerAt } from "../entrance/owner-at";
import { fullPath, nameFolder } from "../../paths";
import { foldersWithEarlierKeyholders, renewHeaders } from "./renew-headers";
import { replaceOwner } from "../entrance/replace-owner";
import { provePassword } from "../entrance/sign-in";
import { said } from "@eremos/words/server/ways-back";

/** The keyholders, without their shares. Null: there are none. */
export function keyholdersView(eremos: Eremos): KeyholdersView | null {
  const keys = eremos.requireKeys();
  const owner = eremos.requireOwner();
  if (!owner.keyholders) return null;
  const { threshold, checks } = owner.keyholders;
  const known = documentOf(eremos, keys);
  return {
    threshold,
    count: checks.length,
    of: known?.of ?? null,
    madeAt: known?.madeAt ?? null,
    provenAt: known?.provenAt ?? null,
    mailServer: mailServerOf(eremos, keys)?.host ?? null,
    holders: known?.holders.map(({ share: _share, ...holder }, i) => ({ ...holder, number: i + 1 })) ?? null,
    withEarlier: foldersWithEarlierKeyholders(eremos, keys, owner).map(nameFolder),
  };
}

/** What is known of the set that holds now; null where it was named on another computer. */
function documentOf(eremos: Eremos, keys: Keys): KeyholdersDocument | null {
  const known = eremos.documents.get(keys, "keyholders");
  return known && known.set === eremos.requireOwner().keyholders?.set ? known : null;
}

/**
 * Names keyholders, or others: everybody gets a new share, and the earlier ones stop working wherever Eremos can reach.
 * Returns the folders that the earlier shares, or none, still open. @throws EremosError `wrong-password` | `usage`
 */
export async function nameKeyholders(
  eremos: Eremos,
  { current, of, threshold, holders }: Omit<Checked<"keyholders/name">, "current"> & { readonly current: Password },
): Promise<PasswordChanged> {
  if (threshold > holders.length)
    throw new EremosError("usage", said("shares-cant-come-together-from", { threshold, holders: holders.length }));
  if (new Set(holders.map(({ name }) => name.toLocaleLowerCase())).size < holders.length)
    throw new EremosError("usage", said("two-keyholders-have-same-name"));
  return eremos.holding(async (keys) => {
    await provePassword(eremos, current);
    const { envelope, shares } = await withKeyholders(eremos.requireOwner(), keys.rootKey, {
      threshold,
      count: holders.length,
    });
    const set = envelope.keyholders?.set ?? "";
    const before = eremos.documents.get(keys, "keyholders");
    eremos.requireSame(keys);
    // The names first: a set that holds and whose shares nobody has would be worse than names without a set.
    eremos.documents.put(keys, "keyholders", {
      set,
      threshold,
      of,
      madeAt: Date.now(),
      provenAt: null,
      holders: holders.map((holder, i) => ({ ...holder, share: shares[i] ?? "", handedAt: null, by: null })),
    });
    try {
      await replaceOwner(eremos, keys, () => envelope, [
        { kind: "shares", shares: shares.slice(0, threshold) },
        { kind: "shares", shares: shares.slice(-threshold) },
      ]);
    } catch (error) {
      if (before) eremos.documents.put(keys, "keyholders", before);
      else eremos.documents.remove("keyholders");
      throw error;
    }
    return changed(eremos, keys);
  });
}

/**
 * Each share with its holder, for whoever hands them out by hand. Null where there are none, or they were named on
 * another computer.
 */
export function sharesOf(eremos: Eremos): readonly { readonly name: string; readonly share: string }[] | null {
  return documentOf(eremos, eremos.requireKeys())?.holders.map(({ name, share }) => ({ name, share })) ?? null;
}

/** No keyholders any more. @throws EremosError `wrong-password` */
export function dropKeyholders(eremos: Eremos, current: Password): Promise<PasswordChanged> {
  return eremos.holding(async (keys) => {
    await provePassword(eremos, current);
    await replaceOwner(
      eremos,
      keys,
      async (owner, rootKey) => (await withKeyholders(owner, rootKey, null)).envelope,
      [],
    );
    eremos.documents.remove("keyholders");
    return changed(eremos, keys);
  });
}

async function changed(eremos: Eremos, keys: Keys): Promise<PasswordChanged> {
  const owner = eremos.requireOwner();
  eremos.ledger.allKnown(
    keys,
    eremos.registry.list(keys).map((record) => ({ ...record, sharesProvenAt: null })),
  );
  const left = [...(await renewHeaders(eremos, keys)), ...foldersWithEarlierKeyholders(eremos, keys, owner)];
  await eremos.ledger.happened("", "keyholders");
  eremos.announce({ topic: "session" });
  eremos.announce({ topic: "folders" });
  return { left: left.map(nameFolder) };
}

interface Handing {
  readonly document: KeyholdersDocument;
  readonly holder: KeyholdersDocument["holders"][number];
  readonly pdf: Buffer;
}

/** @throws EremosError `not-found` */
async function handing(eremos: Eremos, keys: Keys, number: number): Promise<Handing> {
  const document = documentOf(eremos, keys);
  const holder = document?.holders[number - 1];
  if (!document || !holder) throw new EremosError("not-found", said("there-is-no-such-keyholder"));
  const { of, threshold, madeAt } = document;
  // What makes PDFs is large, and loaded for this alone.
  const { shareSheet } = await import("../../sheets/share-sheet");
  const pdf = await shareSheet({
    share: holder.share,
    holder: holder.name,
    of,
    number,
    count: document.holders.length,
    threshold,
    at: madeAt,
    readers: rescueFiles(eremos.settings.program),
  });
  return { document, holder, pdf };
}

function handed(eremos: Eremos, keys: Keys, document: KeyholdersDocument, number: number, by: "sheet" | "mail"): void {
  const holders = document.holders.map((holder, i) =>
    i === number - 1 ? { ...holder, handedAt: Date.now(), by } : holder,
  );
  eremos.documents.put(keys, "keyholders", { ...document, holders });
  eremos.announce({ topic: "session" });
}

/** The sheet of one of them, for printing; again, where it was lost. @throws EremosError `not-found` */
export async function shareSheetFor(eremos: Eremos, number: number): Promise<Buffer> {
  const keys = eremos.requireKeys();
  const { document, pdf } = await handing(eremos, keys, number);
  handed(eremos, keys, document, number, "sheet");
  return pdf;
}

/** Sends one of them their sheet. @throws EremosError `not-found` | `not-set-up` (no mail server, no address) | `io` */
export async function mailShare(eremos: Eremos, number: number): Promise<void> {
  const keys = eremos.requireKeys();
  const server = requireMailServer(eremos);
  const { document, holder, pdf } = await handing(eremos, keys, number);
  if (holder.mail === null)
    throw new EremosError("not-set-up", said("has-no-mail-address-here", { name: holder.name }));
  const { sendPaper, shareMail } = await import("../../mail/send-paper");
  const { of, threshold, holders } = document;
  await sendPaper(server, shareMail(holder.mail, { holder: holder.name, of, threshold, count: holders.length }, pdf));
  handed(eremos, keys, document, number, "mail");
}

/** The owner's own mail server, or the one Eremos was started with. */
function mailServerOf(eremos: Eremos, keys: Keys): MailServer | null {
  return eremos.documents.get(keys, "mail") ?? eremos.settings.mail;
}

/** By which something is to be sent. @throws EremosError `not-set-up` */
export function requireMailServer(eremos: Eremos): MailServer {
  const server = mailServerOf(eremos, eremos.requireKeys());
  if (!server) throw new EremosError("not-set-up", said("eremos-does-not-know-how"));
  return server;
}

export function mailServerView(eremos: Eremos): Omit<MailServer, "password"> | null {
  const server = mailServerOf(eremos, eremos.requireKeys());
  if (!server) return null;
  const { password: _password, ...rest } = server;
  return rest;
}

/** Null: the one Eremos was started with, or none. */
export function setMailServer(eremos: Eremos, server: MailServer | null): void {
  const keys = eremos.requireKeys();
  if (server) eremos.documents.put(keys, "mail", server);
  else eremos.documents.remove("mail");
  eremos.announce({ topic: "session" });
}

/**
 * Shares as they are collected, each by itself: this Eremos' owner's, or those of a folder that was found. Null where
 * no keyholders were named.
 * @throws EremosError `not-protected` | `damaged`
 */
export async function lookAtCollected(
  eremos: Eremos,
  shares: readonly string[],
  at: string | null,
): Promise<SharesLook | null> {
  const { owner, keyholders } = await askedOf(eremos, at);
  return keyholders
    ? {
        threshold: keyholders.threshold,
        count: keyholders.checks.length,
        shares: lookAtShares(owner, keyholders, shares),
      }
    : null;
}

async function askedOf(
  eremos: Eremos,
  at: string | null,
): Promise<{ readonly owner: string; readonly keyholders: ReturnType<typeof keyholdersOf> }> {
  if (at === null) {
    const { owner, keyholders } = eremos.requireOwner();
    return { owner, keyholders: keyholders ?? null };
  }
  const path = fullPath(at, eremos.settings.home);
  try {
    const [head] = (await findLocked(directorySource(path))).heads;
    if (head) return { owner: head.header.owner.owner, keyholders: keyholdersOf(head) };
  } catch (error) {
    // One that is not encrypted has no header.
    if (!isEremosError(error)) throw error;
  }
  const { owner, keyholders } = await readOwnerAt(path);
  return { owner, keyholders: keyholders ?? null };
}
