import { ERROR_CLASSES, type ErrorClass, type ErrorCode } from "./codes";
import { type Fault, faultOf, noteFault } from "./faults";

export type ErrorData = Readonly<Record<string, string | number | boolean | readonly string[]>>;

/** Every condition a person can meet. The message says what happened, what is safe and what to do next. */
export class EremosError extends Error {
  override readonly name = "EremosError";

  constructor(
    readonly code: ErrorCode,
    message: string,
    readonly data: ErrorData = {},
    /** Of an `internal` one: what went wrong in the program. */
    readonly fault: Fault | null = null,
  ) {
    super(message);
  }

  get class(): ErrorClass {
    return ERROR_CLASSES[this.code];
  }
}

export function isEremosError(error: unknown): error is EremosError {
  return error instanceof EremosError;
}

const LAYERED =
  "a part of it can't be moved: it lies in the lower layer of a layered file system, as a container or a live system has, or on another one";

/** What helps where nothing can be moved. */
export const COPY_IT = "copy the folder, lock the copy, and delete the original";

/**
 * Turns a system error into one that says what is safe; `doing` completes the sentence "while …". Anything else is a
 * fault of the program's own: it is `internal`, noted, and claims nothing of what `doing` says behind its semicolon.
 */
export function fromSystemError(error: unknown, doing: string): EremosError {
  if (isEremosError(error)) return error;
  const code = systemCode(error);
  if (code === "ENOSPC" || code === "EDQUOT") {
    return new EremosError(
      "no-space",
      `The disk is full, so Eremos stopped while ${doing}. Nothing is lost: make room and try again.`,
    );
  }
  if (code === "EACCES" || code === "EPERM" || code === "EROFS") {
    const why = code === "EROFS" ? "the disk is read-only" : "the system refused access";
    return new EremosError("no-permission", `Eremos stopped while ${doing}, because ${why}. Nothing is lost.`);
  }
  if (code === "EXDEV")
    return new EremosError(
      "unsupported",
      `Eremos stopped while ${doing}, because ${LAYERED}. Nothing is lost; ${COPY_IT}.`,
    );
  if (code !== undefined)
    return new EremosError(
      "io",
      `Eremos stopped while ${doing} (${code}). Nothing is lost; try again, and check the disk if it happens twice.`,
    );
  const fault = faultOf(error);
  noteFault(fault);
  const [part = doing] = doing.split(";");
  return new EremosError(
    "internal",
    `Eremos stopped while ${part}, by a fault of its own. What was half done is finished or taken back when the folder is next looked at, and nothing is removed before that. The fault is noted in faults.log in Eremos' data directory, without names or paths.`,
    {},
    fault,
  );
}

/** What a thread says of its failure to the one that waits for it. */
export interface Failure {
  readonly code: ErrorCode;
  readonly message: string;
  readonly data: ErrorData;
  readonly fault: Fault | null;
}

/** `doing` as in {@link fromSystemError}. */
export function failureOf(error: unknown, doing: string): Failure {
  const { code, message, data, fault } = fromSystemError(error, doing);
  return { code, message, data, fault };
}

/** The failure of another thread, whose fault this one notes. */
export function errorOf({ code, message, data, fault }: Failure): EremosError {
  if (fault) noteFault(fault);
  return new EremosError(code, message, data, fault);
}

/** In a sentence of the caller's own, which gets the reason: what is safe differs from place to place. */
export function stopped(error: unknown, sentence: (because: string) => string): EremosError {
  const { code, data, fault } = fromSystemError(error, "working");
  return new EremosError(code, sentence(reasonOf(error)), data, fault);
}

/** Why something stopped, to stand behind "because". */
function reasonOf(error: unknown): string {
  if (isEremosError(error))
    return error.message.replace(/\.( .*)?$/s, "").replace(/^[A-Z](?=[a-z])/, (letter) => letter.toLowerCase());
  const code = systemCode(error);
  if (code === "ENOSPC" || code === "EDQUOT") return "the disk is full";
  if (code === "EROFS") return "the disk is read-only";
  if (code === "EACCES" || code === "EPERM") return "the system refused access";
  if (code === "EXDEV") return LAYERED;
  return code === undefined
    ? "of a fault of Eremos' own, which is noted in faults.log in its data directory"
    : `of ${code}`;
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
