import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { hkdf } from "../../core/src/crypto/kdf";
import { openSealingKey, openWithPassword, readOwner } from "../../core/src/format/owner";
import { ask } from "./ask";
import { CommandLine, PASSWORD } from "./command-line";
import { countInMemory, withDescendants } from "./process-memory";
import { RunningServer } from "./running-server";

const asAdministrator = it.runIf(process.getuid?.() === 0);
const TEXT = "Dear Agathe, the varnish recipe lies under the third stair; nobody else knows of it.";

let cli: CommandLine;
let server: RunningServer;
beforeEach(() => {
  cli = new CommandLine();
  server = new RunningServer(cli);
});
afterEach(async () => {
  await server.stop();
  cli.remove();
});

/** The keys of the session, as whoever knows the password can make them, and what was typed and read. */
async function secrets(): Promise<Record<string, Buffer>> {
  const owner = readOwner(fs.readFileSync(path.join(cli.data, "owner.json")));
  const { rootKey } = await openWithPassword(owner, PASSWORD);
  return {
    "root key": rootKey,
    "database key": hkdf(rootKey, Buffer.from(owner.owner), "eremos/2/database"),
    "sealing key": openSealingKey(owner, rootKey),
    password: Buffer.from(PASSWORD),
    "password, two bytes a letter": Buffer.from(PASSWORD, "utf16le"),
    "visited text": Buffer.from(TEXT),
    "visited text, two bytes a letter": Buffer.from(TEXT, "utf16le"),
  };
}

function found(wanted: Readonly<Record<string, Buffer>>): Record<string, number> {
  const counts = withDescendants(server.pid).map((pid) => countInMemory(pid, wanted));
  return Object.fromEntries(
    Object.keys(wanted).map((name) => [name, counts.reduce((sum, count) => sum + (count[name] ?? 0), 0)]),
  );
}

asAdministrator(
  "an administrator finds no password in the memory of a signed-in Eremos, and after the sign-out no key and nothing of what was visited in any process of it",
  async () => {
    await cli.setUp();
    const folder = cli.makeFolder("Letters");
    fs.writeFileSync(path.join(folder, "agathe.txt"), TEXT);
    expect(cli.run(["lock", folder]).status).toBe(0);
    await server.start();
    expect((await server.call("sign-in", { password: PASSWORD })).status).toBe(200);
    const started = await server.call("visit/start", { folder, minutes: null, accept: [], secret: null });
    const { contents } = started.body as unknown as { readonly contents: string };
    expect((await ask(server.address, `${contents}/agathe.txt`, { method: "GET", headers: server.headers })).body).toBe(
      TEXT,
    );
    const wanted = await secrets();
    const before = found(wanted);
    // The search finds what is there to be found; passwords are bytes that were overwritten.
    for (const name of ["root key", "database key", "sealing key", "visited text"])
      expect([name, before[name]]).not.toEqual([name, 0]);
    expect([before["password"], before["password, two bytes a letter"]]).toEqual([0, 0]);
    const [, session] = withDescendants(server.pid);
    expect((await server.call("sign-out")).status).toBe(200);
    await vi.waitFor(() => expect(withDescendants(server.pid)).not.toContain(session), {
      timeout: 20_000,
      interval: 100,
    });
    // Asked of the next one, which is there.
    expect((await server.call("state")).status).toBe(200);
    expect(withDescendants(server.pid)).toHaveLength(2);
    expect(found(wanted)).toEqual(Object.fromEntries(Object.keys(wanted).map((name) => [name, 0])));
  },
);

asAdministrator("what was typed wrong at the gate is gone a while after the last try", async () => {
  await cli.setUp();
  await server.start();
  const wrong = `${PASSWORD}, nearly`;
  expect((await server.call("sign-in", { password: wrong })).status).toBe(403);
  const wanted = { "wrong password": Buffer.from(wrong), "two bytes a letter": Buffer.from(wrong, "utf16le") };
  await vi.waitFor(() => expect(found(wanted)).toEqual({ "wrong password": 0, "two bytes a letter": 0 }), {
    timeout: 60_000,
    interval: 1000,
  });
  await server.call("state");
  expect((await server.call("sign-in", { password: PASSWORD })).status).toBe(200);
});
