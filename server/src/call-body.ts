/**
 * How a call travels from the page: JSON, and after it what must not become text on the way, as bytes: passwords, each
 * after a NUL, which JSON never holds. In the JSON stands `{ "$secret": which }` in their place. Text can't be
 * overwritten once it is there; bytes are, when the call has its answer.
 */

/** The fields of calls that are passwords, wherever they stand. */
const SECRETS = new Set(["password", "current", "folderPassword"]);
export const CALL_TYPE = "application/x-eremos-call";

/** Passwords as the UTF-8 of their NFC. */
export function encodeCall(body: object): Uint8Array<ArrayBuffer> {
  const secrets: Uint8Array[] = [];
  const json = JSON.stringify(body, (name, value: unknown) => {
    if (!SECRETS.has(name) || typeof value !== "string") return value;
    secrets.push(new TextEncoder().encode(value.normalize("NFC")));
    return { $secret: secrets.length - 1 };
  });
  const parts = [new TextEncoder().encode(json), ...secrets.flatMap((secret) => [new Uint8Array(1), secret])];
  const bytes = new Uint8Array(parts.reduce((sum, { length }) => sum + length, 0));
  let at = 0;
  for (const part of parts) {
    bytes.set(part, at);
    at += part.length;
  }
  for (const secret of secrets) secret.fill(0);
  return bytes;
}

/**
 * What was sent, with its secrets as parts of `bytes`: who overwrites those has overwritten these. @throws SyntaxError
 */
export function decodeCall(bytes: Buffer): unknown {
  const [json = bytes, ...secrets] = split(bytes);
  return JSON.parse(json.toString("utf8") || "{}", (_name, value: unknown) => {
    if (typeof value !== "object" || value === null || !("$secret" in value)) return value;
    const secret = typeof value.$secret === "number" ? secrets[value.$secret] : undefined;
    if (!secret) throw new SyntaxError("a secret is missing");
    return secret;
  });
}

function split(bytes: Buffer): Buffer[] {
  const parts: Buffer[] = [];
  let from = 0;
  for (let at = bytes.indexOf(0); at >= 0; at = bytes.indexOf(0, from)) {
    parts.push(bytes.subarray(from, at));
    from = at + 1;
  }
  parts.push(bytes.subarray(from));
  return parts;
}
