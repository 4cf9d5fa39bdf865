import { ERROR_CLASSES, type ErrorClass, type ErrorCode } from "./codes";

export type ErrorData = Readonly<Record<string, string | number | boolean | readonly string[]>>;

/** Every condition a person can meet. The message says what happened, what is safe and what to do next. */
export class EremosError extends Error {
  override readonly name = "EremosError";

  constructor(
    readonly code: ErrorCode,
    message: string,
    readonly data: ErrorData = {},
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

/** Turns a system error into one that says what is safe. `doing` completes the sentence "while …". */
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
  const detail = code ?? (error instanceof Error ? error.message : String(error));
  return new EremosError(
    "io",
    `Eremos stopped while ${doing} (${detail}). Nothing is lost; try again, and check the disk if it happens twice.`,
  );
}

/** Why something stopped, to stand within a sentence. */
export function reasonOf(error: unknown): string {
  if (isEremosError(error))
    return error.message.replace(/\.( .*)?$/s, "").replace(/^[A-Z](?=[a-z])/, (letter) => letter.toLowerCase());
  const code = systemCode(error);
  if (code === "ENOSPC" || code === "EDQUOT") return "the disk is full";
  if (code === "EROFS") return "the disk is read-only";
  if (code === "EACCES" || code === "EPERM") return "the system refused access";
  return code ?? (error instanceof Error ? error.message : String(error));
}

/** The errno name of a system error ("ENOENT"), or undefined. */
export function systemCode(error: unknown): string | undefined {
  if (typeof error === "object" && error !== null && "code" in error && typeof error.code === "string")
    return error.code;
  return undefined;
}
