import { randomInt } from "node:crypto";
import { type Server, type Socket, createServer } from "node:net";
import { EremosError, type HeldPort, LOOPBACKS, holdPort, letGoPort } from "@eremos/core";
import { OWN_PORTS } from "../settings";
import { accountBehind } from "../peer";
import { said, say } from "@eremos/words/server/house";

const MOST_TRIES = 50;
/** Far more than the tabs of a browser need. */
export const MOST_CONNECTIONS = 256;

const SOMEBODY_ELSES = say("this-eremos-belongs-another-account");
const REFUSAL = `HTTP/1.1 403 Forbidden\r\nContent-Type: text/plain; charset=utf-8\r\nContent-Length: ${SOMEBODY_ELSES.length}\r\nConnection: close\r\n\r\n${SOMEBODY_ELSES}`;

/** The same port on every loopback address of this computer. */
export interface Doors {
  readonly port: number;
  close(): void;
}

/**
 * Opens the doors. Browsers try `[::1]` and 127.0.0.1 for a name below `.localhost`: where one of them is somebody
 * else's, the port is not ours. What comes in from another account than `account` is told so and shut out, before
 * anything of it is read.
 * @param wanted a port that the person chose (0: any), or null; @param kept the one of the last start, or null
 * @throws EremosError `port-in-use`, for a chosen one and for given ones only
 */
export async function openDoors({
  wanted,
  kept,
  account,
  receive,
  stranger,
  given = [],
}: {
  readonly wanted: number | null;
  readonly kept: number | null;
  readonly account: number;
  readonly receive: (socket: Socket) => void;
  /** Hears of each that was shut out, by its account. */
  readonly stranger: (account: number) => void;
  /** What whoever started this process listens at for it already: then nothing is chosen. */
  readonly given?: readonly HeldPort[];
}): Promise<Doors> {
  const admit = (socket: Socket): void => {
    const theirs = accountBehind(socket);
    if (theirs === account) return receive(socket);
    // Of one that is closed again already nobody is told: browsers do that, too.
    if (theirs !== null) stranger(theirs);
    socket.on("error", () => undefined);
    socket.end(REFUSAL, () => socket.destroy());
  };
  const [first] = given;
  if (first) {
    const doors = await listenAt(given, first.port, admit);
    if (doors) return doors;
    throw new EremosError("port-in-use", said("given-sockets-cant-be-used"));
  }
  if (wanted !== null && wanted !== 0) {
    const doors = await tryPort(wanted, admit);
    if (doors) return doors;
    throw new EremosError("port-in-use", said("port-is-somebody-elses-another", { wanted }));
  }
  for (let tried = 0; tried < MOST_TRIES; tried++) {
    const doors = await tryPort(
      tried === 0 && wanted === null && kept !== null ? kept : randomInt(...OWN_PORTS),
      admit,
    );
    if (doors) return doors;
  }
  throw new EremosError("port-in-use", said("no-free-port-was-found", { mostTries: MOST_TRIES }));
}

/** null: one of the addresses is taken. */
async function tryPort(port: number, admit: (socket: Socket) => void): Promise<Doors | null> {
  const all = LOOPBACKS.map((host) => ({ host, held: holdPort(host, port) }))
    .filter(({ host, held }) => !(host === "::1" && held === "no-such-address"))
    .map(({ held }) => held);
  const held = all.filter((one) => typeof one === "object");
  if (held.length === all.length) return listenAt(held, port, admit);
  held.forEach(letGoPort);
  return null;
}

/** null: at one of them nobody can listen. */
async function listenAt(
  held: readonly HeldPort[],
  port: number,
  admit: (socket: Socket) => void,
): Promise<Doors | null> {
  const servers: Server[] = [];
  const close = (): void => servers.forEach((server) => server.close());
  for (const { fd } of held) {
    // Not read here: it is passed on as it came.
    const server = createServer({ pauseOnConnect: true }, admit);
    server.maxConnections = MOST_CONNECTIONS;
    const isListening = await new Promise<boolean>((resolve) => {
      server.once("error", () => resolve(false));
      server.listen({ fd }, () => resolve(true));
    });
    if (!isListening) {
      close();
      return null;
    }
    servers.push(server);
  }
  return { port, close };
}
