import { type ChildProcess, spawn } from "node:child_process";
import { createHmac, randomBytes, timingSafeEqual } from "node:crypto";
import { EremosError } from "@eremos/core";
import type { DataDirectory } from "../data-directory";

const ANSWER_MS = 2000;
const START_MS = 20_000;
const ASK_EVERY_MS = 250;

/** What proves to the launcher that a server is the owner's: only the owner's account can read the secret. */
export function proofFor(secret: string, nonce: string): string {
  return createHmac("sha256", secret).update(`eremos/1/server\n${nonce}`).digest("hex");
}

/**
 * The address of the owner's own running server, or null. Any account can listen on a port of this computer; whoever can't read the
 * owner-only file can't answer. @throws EremosError `port-in-use` when somebody else answers at its port
 */
export async function runningServer(data: DataDirectory): Promise<string | null> {
  const known = data.server();
  if (!known) return null;
  const address = `http://127.0.0.1:${known.port}`;
  const nonce = randomBytes(32).toString("hex");
  let answer: unknown;
  try {
    const response = await fetch(`${address}/api/hello`, { method: "POST", headers: { "content-type": "application/json", origin: address }, body: JSON.stringify({ nonce }), signal: AbortSignal.timeout(ANSWER_MS) });
    answer = await response.json();
  } catch {
    return null;
  }
  const proof = typeof answer === "object" && answer !== null && "proof" in answer && typeof answer.proof === "string" ? answer.proof : "";
  const expected = proofFor(known.secret, nonce);
  if (proof.length === expected.length && timingSafeEqual(Buffer.from(proof), Buffer.from(expected))) return address;
  throw new EremosError("port-in-use", `Something else than your Eremos answers at ${address}. Don't type your password there. Close it, or choose another port with EREMOS_PORT.`);
}

/** Starts the server by itself where it does not run; returns its address. */
export async function ensureServer(data: DataDirectory, command: readonly string[]): Promise<string> {
  const running = await runningServer(data);
  if (running) return running;
  const [program = "", ...words] = command;
  const child: ChildProcess = spawn(program, [...words, "serve"], { detached: true, stdio: "ignore" });
  child.unref();
  for (let waited = 0; waited < START_MS; waited += ASK_EVERY_MS) {
    await new Promise((resolve) => setTimeout(resolve, ASK_EVERY_MS));
    const address = await runningServer(data);
    if (address) return address;
    if (child.exitCode !== null) break;
  }
  throw new EremosError("interrupted", "Eremos could not be started by itself. Nothing was touched; start it with `eremos serve`, which says what is wrong.");
}

/** Shows an address in the person's browser. @returns whether there is a program for that */
export function showInBrowser(address: string): Promise<boolean> {
  return new Promise((resolve) => {
    const opener = spawn("xdg-open", [address], { detached: true, stdio: "ignore" });
    opener.once("error", () => resolve(false));
    opener.once("spawn", () => {
      opener.unref();
      resolve(true);
    });
  });
}
