/** What the engine of a runtime compiles of a program, kept beside it. */
import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { root } from "../steps.mjs";
import { compiledOf } from "./list.mjs";

const COMPILE = join(root, "scripts/programs/compile.mjs");
/** Ends with 0 where what was compiled before was taken. */
const TRY =
  "const [, program] = process.argv; process.on('exit', () => { process.exitCode = require.cache[program].exports.cachedDataRejected === false ? 0 : 1; }); require(program);";

/** `node`: the runtime that is to start it; `made`: where the program lies, with all that it loads. */
export function compileProgram(node, made, kind) {
  const home = mkdtempSync(join(tmpdir(), "eremos-compiled-"));
  /** @type {Record<string, string | undefined> & { NODE_ENV: "production" }} */
  const env = {
    NODE_ENV: "production",
    PATH: process.env.PATH,
    HOME: home,
    XDG_CONFIG_HOME: home,
    EREMOS_DATA: join(home, "data"),
  };
  const start = (...args) => spawnSync(node, args, { env, encoding: "utf8" });
  try {
    const { status, stderr } = start(COMPILE, made, kind);
    if (status !== 0) throw new Error(`Nothing was compiled of ${made}: ${stderr}`);
    if (readFileSync(compiledOf(made)).includes(root)) throw new Error(`What was compiled of ${made} tells where.`);
    if (kind === "process" && start("-e", TRY, made, "status").status !== 0)
      throw new Error(`What was compiled of ${made} is not taken.`);
  } finally {
    rmSync(home, { recursive: true });
  }
}
