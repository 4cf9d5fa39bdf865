/**
 * Faults of the program's own: what no system error explains and nobody at the keyboard can mend. They are told as
 * such, and noted where their makers can find them: what kind of error, and where in the program, never its words,
 * which may hold paths, names or contents.
 */
export interface Fault {
  /** The error's class: `TypeError`; with its code, if it has one. */
  readonly kind: string;
  /** Where in the program, the innermost first: function, file without its directory, line. */
  readonly frames: readonly string[];
}

const MOST_FRAMES = 20;

export function faultOf(error: unknown): Fault {
  if (!(error instanceof Error)) return { kind: typeof error, frames: [] };
  const code =
    "code" in error && typeof error.code === "string" && /^[A-Z_0-9]{1,60}$/.test(error.code) ? ` ${error.code}` : "";
  return { kind: `${error.constructor.name}${code}`, frames: framesIn(error.stack ?? "") };
}

function framesIn(stack: string): string[] {
  return stack
    .split("\n")
    .slice(0, 200)
    .flatMap((line) => {
      const found =
        /^ {4}at (?:(?:async |new )?([\w$.<>[\] ]{1,100}?) \()?(?:[^()]*[/\\])?([\w$.-]{1,80}:\d+:\d+)\)?$/.exec(line);
      return found?.[2] === undefined ? [] : [`${found[1] ?? "?"} ${found[2]}`];
    })
    .slice(0, MOST_FRAMES);
}

let listener: ((fault: Fault) => void) | null = null;

/** Where this process notes faults from now on. A thread without one hands them on with its failure. */
export function noteFaultsBy(note: (fault: Fault) => void): void {
  listener = note;
}

export function noteFault(fault: Fault): void {
  listener?.(fault);
}
