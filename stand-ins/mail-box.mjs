/**
 * A stand-in for everybody's mail: a real SMTP server on this computer alone, which takes any letter and keeps it as a
 * file. For the demo and its tests.
 */
import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { SMTPServer } from "smtp-server";

/** Letters go to `directory` as `<n> to <address>.eml`. Answers the port it listens on and how to stop it. */
export async function startMailBox(directory, port = 0) {
  mkdirSync(directory, { recursive: true });
  let letters = 0;
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ["STARTTLS"],
    disableReverseLookup: true,
    logger: false,
    onData(stream, session, done) {
      const parts = [];
      stream.on("data", (part) => parts.push(part));
      stream.on("end", () => {
        const to = session.envelope.rcptTo
          .map(({ address }) => address)
          .join(", ")
          .replaceAll("/", "_");
        writeFileSync(join(directory, `${++letters} to ${to}.eml`), Buffer.concat(parts));
        done();
      });
    },
  });
  server.on("error", () => undefined);
  await new Promise((resolve, reject) => {
    server.server.once("error", reject);
    server.listen(port, "127.0.0.1", resolve);
  });
  return { port: server.server.address().port, close: () => new Promise((resolve) => server.close(resolve)) };
}
