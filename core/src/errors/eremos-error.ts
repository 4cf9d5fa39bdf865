import { ERROR_CLASSES, type ErrorClass, type ErrorCode } from "./codes";
import { type Fault, faultOf, noteFault } from "./faults";
import type { Said } from "@eremos/words";
import { said, say } from "@eremos/words/core/errors";

export type ErrorData = Readonly<Record<string, string | number | boolean | readonly string[]>>;

/** Every condition a person can meet. What is said says what happened, what is safe and what to do next. */
export class EremosError extends Error {
  override readonly name = "EremosError";

  constructor(
    readonly code: ErrorCode,
    readonly said: Said,
    readonly data: ErrorData = {},
    /** Of an `internal` one: what went wrong in the program. */
    readonly fault: Fault | null = null,
    cause?: unknown,
    /** What found it knows only this much: see {@link damage}. */
    readonly isPart = false,
  ) {
    super(said.text, cause === undefined ? {} : { cause });
  }

  /** As it is told by itself, and not as a reason among others: also what is safe, and what to do next. */
  get told(): Said {
    return this.isPart ? said("damage", { what: this.said }) : this.said;
  }

  get class(): ErrorClass {
    return ERROR_CLASSES[this.code];
  }
}

/** Damage as what finds it knows it. What is safe, and what to do next, is added where it is told by itself. */
export function damage(what: Said, data: ErrorData = {}): EremosError {
  return new EremosError("damaged", what, data, null, undefined, true);
}

export function isEremosError(error: unknown): error is EremosError {
  return error instanceof EremosError;
}

/**
 * Turns a system error into one that says what is safe; `doing` completes the sentence "while …". Anything else is a
 * fault of the program's own: it is `internal`, noted, and claims nothing of what `doing` says behind its semicolon.
 */
export function fromSystemError(error: unknown, doing: Said): EremosError {
  if (isEremosError(error)) return error;
  const code = systemCode(error);
  if (code === undefined) {
    const fault = faultOf(error);
    noteFault(fault);
    const [part = doing.text] = doing.text.split(";");
    return new EremosError("internal", said("stopped-by-fault", { part }), {}, fault, error);
  }
  const kind = kindOf(code);
  return new EremosError(kind, said(`stopped-${kind}`, { doing, code }), {}, null, error);
}

function kindOf(code: string): "no-space" | "no-permission" | "unsupported" | "io" {
  if (code === "ENOSPC" || code === "EDQUOT") return "no-space";
  if (code === "EACCES" || code === "EPERM" || code === "EROFS") return "no-permission";
  return code === "EXDEV" ? "unsupported" : "io";
}

/** An error as data, as processes and threads tell one another. */
export interface Failure {
  readonly code: ErrorCode;
  readonly said: Said;
  readonly data: ErrorData;
  readonly fault: Fault | null;
  readonly cause: Cause | null;
  readonly isPart: boolean;
}

/** What was behind it: what the system answered, or another failure. */
type Cause = { readonly kind: "system"; readonly code: string } | ({ readonly kind: "failure" } & Failure);

/** `doing` as in {@link fromSystemError}. */
export function failureOf(error: unknown, doing: Said): Failure {
  return asFailure(fromSystemError(error, doing));
}

function asFailure({ code, said, data, fault, cause, isPart }: EremosError): Failure {
  return { code, said, data, fault, cause: causeOf(cause), isPart };
}

function causeOf(cause: unknown): Cause | null {
  if (isEremosError(cause)) return { kind: "failure", ...asFailure(cause) };
  const code = systemCode(cause);
  return code === undefined ? null : { kind: "system", code };
}

/** The failure of another thread or process, whose fault this one notes. */
export function errorOf(failure: Failure): EremosError {
  if (failure.fault) noteFault(failure.fault);
  return ofFailure(failure);
}

function ofFailure({ code, said, data, fault, cause, isPart }: Failure): EremosError {
  return new EremosError(code, said, data, fault, cause ? ofCause(cause) : undefined, isPart);
}

function ofCause(cause: Cause): Error {
  return cause.kind === "system" ? Object.assign(new Error(cause.code), { code: cause.code }) : ofFailure(cause);
}

/** In a sentence of the caller's own, which gets the reason: what is safe differs from place to place. */
export function stopped(error: unknown, sentence: (because: string) => Said): EremosError {
  const { code, data, fault } = fromSystemError(error, said("working"));
  return new EremosError(code, sentence(reasonOf(error)), data, fault, error);
}

/** Why something stopped, to stand behind "because". */
function reasonOf(error: unknown): string {
  if (isEremosError(error))
    return error.message.replace(/\.( .*)?$/s, "").replace(/^[A-Z](?=[a-z])/, (letter) => letter.toLowerCase());
  const code = systemCode(error);
  if (code === "ENOSPC" || code === "EDQUOT") return say("disk-is-full");
  if (code === "EROFS") return say("disk-is-read-only");
  if (code === "EACCES" || code === "EPERM") return say("system-refused-access");
  if (code === "EXDEV") return say("layered");
  return code === undefined ? say("fault-eremos-own-which-is") : say("of", { code });
}

/**
 * What a disk answers for a place that it can't read any more, or whose own checksum does not fit. Source: errno(3).
 */
const UNREADABLE = ["EIO", "EUCLEAN", "EBADMSG", "EREMOTEIO"];

/**
 * Whether a read failed since the disk does not give back what lies there; not since it was refused, or there was no
 * room for one more open file.
 */
export function isUnreadable(error: unknown): boolean {
  return UNREADABLE.includes(systemCode(error) ?? "");
}

/**
 * The errno name of a system error ("ENOENT"), or undefined: what Node calls `ERR_…` is a fault of whoever called it.
 */
export function systemCode(error: unknown): string | undefined {
  if (
    typeof error === "object" &&
    error !== null &&
    "code" in error &&
    typeof error.code === "string" &&
    /^E[A-Z0-9]+$/.test(error.code)
  )
    return error.code;
  return undefined;
}
