/** What a page gives to whoever reads it, as a file of theirs. */
export function save(blob: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

/** Only some browsers can write a large file piece by piece; the others gather it first. */
interface WithPicker {
  readonly showSaveFilePicker?: (options: {
    readonly suggestedName: string;
  }) => Promise<{ readonly createWritable: () => Promise<WritableStream<Uint8Array>> }>;
}

/** A stream to a new file that its owner chooses; null where the browser has none. */
export async function streamToFile(name: string): Promise<WritableStream<Uint8Array> | null> {
  const { showSaveFilePicker } = globalThis as WithPicker;
  return showSaveFilePicker ? (await showSaveFilePicker({ suggestedName: name })).createWritable() : null;
}
