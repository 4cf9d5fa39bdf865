import { type ChildProcess, spawn } from "node:child_process";

/**
 * A program that has a file open, to write at its end or to read, from the moment this resolves until it is killed. It
 * is one process, `sh` by its name all the time, and it ends with its parent, whose pipe it reads.
 */
export async function holdOpen(file: string, to: "write" | "read" = "write"): Promise<ChildProcess> {
  const script = `exec 3${to === "write" ? ">>" : "<"}"$1" && echo open && read line`;
  const program = spawn("sh", ["-c", script, "sh", file], { stdio: ["pipe", "pipe", "inherit"] });
  await new Promise<void>((resolve, reject) => {
    program.stdout.once("data", () => resolve());
    program.once("exit", () => reject(new Error(`${file} could not be held open.`)));
  });
  return program;
}
