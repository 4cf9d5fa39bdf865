import * as z from "zod";
import { openBox, sealBoxText } from "../crypto/box";
import { fromBase64, sha256, toBase64 } from "../crypto/bytes";
import { type SigningKey, isSignedBy, signWith } from "../crypto/signature";
import { damage } from "../errors/eremos-error";
import { canonicalJson } from "./canonical-json";
import { type Believed, type Head, deviceKeyOf } from "./header";
import { digestSchema, idSchema } from "./ids";
import { OBJECT_HEADER_BYTES, decodeObjectHeader } from "./object";
import { newFrame, readRecord, recordSchema, writeRecord } from "./record-file";
import { said, say } from "@eremos/words/core/format";

/**
 * A generation: one committed state of a sealed folder. FORMAT.md §6. It names its index, its manifest and what it came
 * from; the rest is encrypted. It is signed by its author or by the computer it was made on: nothing that follows from
 * a key that decrypts proves anything.
 */
const text = z.string().max(16384);
const whole = z.int().nonnegative();

const MOST_SIGNATURES = 8;
/** An index of more segments is written anew, as one. */
export const MOST_SEGMENTS = 64;

const generationSchema = recordSchema("eremos-generation", {
  folder: idSchema,
  /** From 1; one more than the largest of what it came from. */
  number: whole.min(1),
  /** The generations it came from: none for the first, two for a merge. */
  parents: z.array(z.strictObject({ number: whole.min(1), digest: digestSchema })).max(16),
  /** Which folder key, or by its id which generation key, its index and its encrypted part are under. */
  epoch: z.int().min(1),
  key: z.union([idSchema, z.null()]),
  /** The member whose state it is: the owner, by their id, or a guest. */
  author: idSchema,
  /** The computer it was made on. */
  device: z.union([idSchema, z.null()]),
  /**
   * The index: objects whose plaintexts, as far as they are used, stand one after the other; and where in all of that
   * the folder record lies.
   */
  index: z.strictObject({
    /** What each file begins with, its plaintext bytes, and how many of these belong to it from their beginning on. */
    segments: z
      .array(z.strictObject({ header: z.string().max(256), length: whole, used: whole }))
      .min(1)
      .max(MOST_SEGMENTS),
    record: z.strictObject({ offset: whole, length: whole }),
  }),
  /** SHA-256 of the list of its objects. */
  manifest: digestSchema,
  /** A box: {@link GenerationFacts}. */
  sealed: text,
  /**
   * By the author, the owner or the computer, whose ids these are. Others may be added: the digest is taken without
   * them.
   */
  signatures: z
    .array(z.strictObject({ signer: idSchema, signature: text }))
    .min(1)
    .max(MOST_SIGNATURES),
});
export type Generation = z.output<typeof generationSchema>;
export type GenerationBody = Omit<Generation, "signatures">;
export const MAX_GENERATION_BYTES = 64 * 1024;

/** A part of an index: an object, and how much of it belongs. */
export interface Segment {
  readonly object: string;
  /** What its file begins with. */
  readonly header: Buffer;
  /** Of the plaintext, in bytes. */
  readonly length: number;
  readonly used: number;
}

/** @throws EremosError `damaged` */
export function segmentsOf({ index }: Generation): Segment[] {
  return index.segments.map(({ header: encoded, length, used }) => {
    const header = fromBase64(encoded, OBJECT_HEADER_BYTES);
    if (used > length) throw damage(said("folders-generation-record-uses-more"));
    return { object: decodeObjectHeader(header).object, header, length, used };
  });
}

/** Of the piece of work that wrote it: that of its last segment. */
export function batchOf(generation: Generation): string {
  const last = segmentsOf(generation).at(-1);
  return last ? decodeObjectHeader(last.header).batch : "";
}

/** By what a generation is named: numbers alone may be given twice, on two computers. */
export interface GenerationRef {
  readonly number: number;
  /** SHA-256, hexadecimal. */
  readonly digest: string;
}

/** What of a generation only those learn who can open the folder. */
export interface GenerationFacts {
  /** The folder's ordinary path, as bytes of the system's on which it was made. */
  readonly place: Buffer;
  readonly system: string;
  /** When it was made: milliseconds since 1970. */
  readonly at: number;
  readonly why: GenerationReason;
  readonly files: number;
  readonly bytes: number;
}
const GENERATION_REASONS = ["lock", "visit", "opening", "key"] as const;
export type GenerationReason = (typeof GENERATION_REASONS)[number];

const base64Text = z.string().max(16_384);
/** `drive`: where it lies on one that is carried about, by the volume's id and the path from its top. */
const placeSchema = z.strictObject({
  system: z.string().max(32),
  path: base64Text,
  drive: z.union([z.strictObject({ id: z.string().max(256), path: base64Text }), z.null()]),
});
const factsSchema = z.strictObject({
  place: placeSchema,
  at: whole,
  why: z.enum(GENERATION_REASONS),
  files: whole,
  bytes: whole,
  extensions: z.record(z.string(), z.unknown()),
});

function factsPurpose(folder: string, number: number): string {
  return `folder/${folder}/generation/${number}`;
}

export function sealFacts(
  { place, system, ...facts }: GenerationFacts,
  key: Uint8Array,
  folder: string,
  number: number,
): string {
  return sealBoxText(
    key,
    factsPurpose(folder, number),
    canonicalJson({ ...facts, extensions: {}, place: { system, path: place.toString("base64"), drive: null } }),
  );
}

/** @throws EremosError `damaged` */
export function openFacts({ folder, number, sealed }: Generation, key: Uint8Array): GenerationFacts {
  const opened = openBox(key, factsPurpose(folder, number), fromBase64(sealed));
  const parsed = typeof opened === "string" ? null : factsSchema.safeParse(parseOrNull(opened));
  if (!parsed?.success) throw damage(said("what-this-state-folder-says"));
  const {
    place: { system, path },
    extensions: _extensions,
    ...facts
  } = parsed.data;
  return { ...facts, system, place: Buffer.from(path, "base64") };
}

/** The folder's ordinary path; the one where it is now, if that was written on another system. */
export function ordinaryPlace({ place, system }: GenerationFacts, here: string, now: Buffer): Buffer {
  return system === here ? place : now;
}

function parseOrNull(bytes: Buffer): unknown {
  try {
    return JSON.parse(bytes.toString("utf8"));
  } catch {
    return null;
  }
}

function bodyOf(record: Generation | GenerationBody): Buffer {
  const { signatures: _signatures, ...body } = record as Generation;
  return canonicalJson(body);
}

export function generationDigest(record: Generation | GenerationBody): string {
  return sha256(bodyOf(record)).toString("hex");
}

export function refOf(record: Generation): GenerationRef {
  return { number: record.number, digest: generationDigest(record) };
}

/** With whose key, and under which id, a generation is signed. Whoever made it wipes the key. */
export interface Signature {
  readonly signer: string;
  readonly key: SigningKey;
}

function signedMessage(record: Generation | GenerationBody): Buffer {
  return Buffer.concat([Buffer.from("eremos/2/generation\n", "utf8"), bodyOf(record)]);
}

/** Signs a generation, also one that somebody else has signed, whose signature stays. */
export function signGeneration(record: GenerationBody | Generation, { signer, key }: Signature): Generation {
  const signature = toBase64(signWith(key, signedMessage(record)));
  // One by an earlier key of the same signer stays beside: until the header names the later one, it is the one that
  // counts.
  const others = "signatures" in record ? record.signatures.filter((one) => one.signature !== signature) : [];
  return { ...record, signatures: [{ signer, signature }, ...others].slice(0, MOST_SIGNATURES) };
}

/** Whether this owner has signed it, by what it says. */
export function isSignedFor(record: Generation, owner: string): boolean {
  return record.signatures.some(({ signer }) => signer === owner);
}

/** Who stands behind a generation. A member counts who may change the folder. */
export type Vouching = "owner" | "device" | "member" | "unknown";

/** `head`: one that somebody known stands behind; else its members count for nothing. */
export function vouchingOf(record: Generation, believed: Believed, { header, members }: Head): Vouching {
  const { owner } = believed;
  if (!owner || record.folder !== header.folder || header.owner.owner !== owner.owner) return "unknown";
  const message = signedMessage(record);
  const found = record.signatures.flatMap(({ signer, signature }): Vouching[] => {
    const by = keyOfSigner(signer, record, believed, header.folder, members);
    return by && isSignedBy(by.key, message, fromBase64(signature)) ? [by.as] : [];
  });
  return (["owner", "device", "member"] as const).find((one) => found.includes(one)) ?? "unknown";
}

/** Whose key a signature has to be by, for it to count. */
function keyOfSigner(
  signer: string,
  record: Generation,
  believed: Believed,
  folder: string,
  members: Head["members"],
): { readonly as: Vouching; readonly key: Buffer } | null {
  const { owner } = believed;
  if (owner && signer === owner.owner) return { as: "owner", key: fromBase64(owner.signing.publicKey) };
  const device = record.author === owner?.owner ? deviceKeyOf(believed, signer) : null;
  if (device) return { as: "device", key: device };
  const member = members.find(
    (one) =>
      one.id === signer &&
      one.id === record.author &&
      one.folder === folder &&
      one.may === "change" &&
      one.until === null,
  );
  return member ? { as: "member", key: fromBase64(member.signingKey) } : null;
}

/** The name of a generation's record: two computers never write one file. FORMAT.md §6.1. */
export function generationName({ number, digest }: GenerationRef): string {
  return `${digest.slice(0, DIGEST_DIGITS)}-${number}.json`;
}
const DIGEST_DIGITS = 16;
const NAME = new RegExp(`^([0-9a-f]{${DIGEST_DIGITS}})-([1-9][0-9]{0,15})(?:\\.twin)?\\.json$`);

/** The names of generations' records, without their twins; each once, the largest numbers first. */
export function generationNames(names: readonly string[]): string[] {
  return [...new Set(names.filter((name) => NAME.test(name)).map((name) => name.replace(".twin.json", ".json")))].sort(
    (a, b) => numberIn(b) - numberIn(a) || (a < b ? -1 : 1),
  );
}

/** The number that the name of a generation's record tells. */
export function numberIn(name: string): number {
  return Number(NAME.exec(name)?.[2] ?? 0);
}

export function writeGeneration(record: Generation): Buffer {
  return writeRecord(record);
}

/** @throws EremosError `damaged` | `unknown-version` */
export function readGeneration(bytes: Uint8Array): Generation {
  return readRecord(bytes, generationSchema, say("folders-generation-record"), MAX_GENERATION_BYTES);
}

export const newGenerationFrame = (): ReturnType<typeof newFrame<"eremos-generation">> => newFrame("eremos-generation");
