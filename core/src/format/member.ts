import * as z from "zod";
import { openBox, sealBoxText } from "../crypto/box";
import { fromBase64, toBase64, wipe } from "../crypto/bytes";
import {
  type Password,
  type PasswordCost,
  formatPasswordHashing,
  hashPassword,
  newPasswordHashing,
  parsePasswordHashing,
} from "../crypto/kdf";
import { type SigningKey, isSignedBy, seedOf, signWith, signingKeyFrom } from "../crypto/signature";
import { EremosError } from "../errors/eremos-error";
import { canonicalJson } from "./canonical-json";
import { idSchema } from "./ids";
import { newFrame, readRecord, recordSchema, writeRecord } from "./record-file";
import { said, say } from "@eremos/words/core/format";

/**
 * A member: somebody the owner lets into a folder, and what they may do there. The header, which the owner signs, names
 * the record by its digest: so nobody but the owner says who may change a folder, whatever keys they hold. FORMAT.md
 * §4.3.
 */
const MEMBER_KINDS = ["owner", "guest-by-card", "guest-by-password", "folder-password"] as const;
const text = z.string().max(4096);
const memberSchema = recordSchema("eremos-member", {
  folder: idSchema,
  id: idSchema,
  kind: z.enum(MEMBER_KINDS),
  /** X25519. */
  sealingKey: text,
  /** Ed25519. */
  signingKey: text,
  may: z.enum(["look", "change"]),
  /** Milliseconds since 1970; from `until` on they may nothing. */
  since: z.int().nonnegative(),
  until: z.union([z.int().nonnegative(), z.null()]),
  /** A box under the owner's root key: members do not learn of one another by name. */
  name: text,
});
export type Member = z.output<typeof memberSchema>;
export const MAX_MEMBER_BYTES = 16 * 1024;

function namePurpose(folder: string, id: string): string {
  return `member/${folder}/${id}/name`;
}

export function newMember(
  of: Pick<Member, "folder" | "id" | "kind" | "sealingKey" | "signingKey" | "may" | "since">,
  name: string,
  rootKey: Uint8Array,
): Member {
  return {
    ...newFrame("eremos-member"),
    ...of,
    until: null,
    name: sealBoxText(rootKey, namePurpose(of.folder, of.id), Buffer.from(name, "utf8")),
  };
}

/** The same member, whose name the owner reads with another root key. @throws EremosError `damaged` */
export function withNameUnder(member: Member, rootBefore: Uint8Array, rootKey: Uint8Array): Member {
  const name = memberName(member, rootBefore);
  return { ...member, name: sealBoxText(rootKey, namePurpose(member.folder, member.id), Buffer.from(name, "utf8")) };
}

/** @throws EremosError `damaged` */
export function memberName({ folder, id, name }: Member, rootKey: Uint8Array): string {
  const opened = openBox(rootKey, namePurpose(folder, id), fromBase64(name));
  if (typeof opened === "string") throw new EremosError("damaged", said("name-guest-this-folder-cant"));
  return opened.toString("utf8");
}

export function writeMember(member: Member): Buffer {
  return writeRecord(member);
}

/** @throws EremosError `damaged` | `unknown-version` */
export function readMember(bytes: Uint8Array): Member {
  return readRecord(bytes, memberSchema, say("record-member-folder"), MAX_MEMBER_BYTES);
}

/** A guest's own way in by their password: there only where they agreed, which their signature says. FORMAT.md §4.3. */
const guestSchema = recordSchema("eremos-guest", {
  folder: idSchema,
  member: idSchema,
  hashing: text,
  /** The private half of their X25519 pair, boxed under the key of their password. */
  sealing: text,
  /** The seed of their Ed25519 pair, likewise. */
  signing: text,
  /** By that pair, over everything else. */
  signature: text,
});
export type GuestRecord = z.output<typeof guestSchema>;

export interface GuestKeys {
  /** X25519, 32 bytes. */
  readonly sealing: Buffer;
  readonly signing: SigningKey;
}

function guestMessage({ signature: _signature, ...body }: GuestRecord): Buffer {
  return Buffer.concat([Buffer.from("eremos/2/guest\n", "utf8"), canonicalJson(body)]);
}

export async function newGuestRecord(
  { folder, id }: Pick<Member, "folder" | "id">,
  keys: GuestKeys,
  password: Password,
  cost: PasswordCost,
): Promise<GuestRecord> {
  const hashing = newPasswordHashing(cost);
  const key = await hashPassword(password, hashing);
  try {
    const body = {
      ...newFrame("eremos-guest"),
      folder,
      member: id,
      hashing: formatPasswordHashing(hashing),
      signature: "",
      sealing: sealBoxText(key, `guest/${folder}/${id}/sealing`, keys.sealing),
      signing: sealBoxText(key, `guest/${folder}/${id}/signing`, seedOf(keys.signing)),
    };
    return { ...body, signature: toBase64(signWith(keys.signing, guestMessage(body))) };
  } finally {
    wipe(key);
  }
}

/**
 * A guest's keys, of the member whom the header names; the caller wipes them. `most`: the work that one look at a
 * password may take.
 * @throws EremosError `wrong-password` | `damaged` (also where the guest did not sign it) | `costly`
 */
export async function openGuestRecord(
  record: GuestRecord,
  member: Member,
  password: Password,
  most?: number,
): Promise<GuestKeys> {
  const isTheirs =
    record.member === member.id &&
    record.folder === member.folder &&
    isSignedBy(fromBase64(member.signingKey), guestMessage(record), fromBase64(record.signature));
  if (!isTheirs) throw new EremosError("damaged", said("this-way-in-was-not"));
  const key = await hashPassword(password, parsePasswordHashing(record.hashing, most));
  try {
    const [sealing, seed] = [record.sealing, record.signing].map((box, i) =>
      openBox(key, `guest/${record.folder}/${member.id}/${i === 0 ? "sealing" : "signing"}`, fromBase64(box)),
    );
    if (sealing === "another-key" || seed === "another-key")
      throw new EremosError("wrong-password", said("that-is-not-password-nothing"));
    if (!sealing || !seed || typeof sealing === "string" || typeof seed === "string")
      throw new EremosError("damaged", said("this-way-in-is-damaged"));
    const signing = signingKeyFrom(seed);
    wipe(seed);
    return { sealing, signing };
  } finally {
    wipe(key);
  }
}

export function writeGuestRecord(record: GuestRecord): Buffer {
  return writeRecord(record);
}

/** @throws EremosError `damaged` | `unknown-version` */
export function readGuestRecord(bytes: Uint8Array): GuestRecord {
  return readRecord(bytes, guestSchema, say("record-guests-way-in"), MAX_MEMBER_BYTES);
}
