/**
 * Takes back what was begun, or goes on with it, as far as the disk lets it: of two failures the first is the one to
 * tell of, and what is left undone here is done at the next look at the folder.
 */
export function takeBack(undo: () => void): void {
  try {
    undo();
  } catch {
    // Said by the caller.
  }
}
