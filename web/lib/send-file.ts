import { readTab } from "./tab";

export interface Sent {
  readonly status: number;
  readonly etag: string | null;
}

/** Sends a file as it is; progress of what is sent is told by this kind of request alone. */
export function sendFile(
  address: string,
  file: File,
  onSent: (bytes: number) => void,
  signal: AbortSignal,
): Promise<Sent> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.setRequestHeader("X-Eremos-Tab", readTab());
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.upload.addEventListener("progress", ({ loaded }) => onSent(loaded));
    request.addEventListener("load", () =>
      resolve({ status: request.status, etag: request.getResponseHeader("ETag") }),
    );
    request.addEventListener("error", () => reject(new Error("unreachable")));
    request.addEventListener("abort", () => reject(new Error("stopped")));
    signal.addEventListener("abort", () => request.abort());
    request.send(file);
  });
}
