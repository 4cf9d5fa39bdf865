import { type MessageBus, systemBus } from "@homebridge/dbus-native";
import * as z from "zod";
import { listenFor } from "../desktop/session-bus";

/**
 * How the log-in manager tells that the computer goes to sleep, or that a session is locked. Source:
 * org.freedesktop.login1(5).
 */
const LOGIN = "org.freedesktop.login1";
const SESSION = `${LOGIN}.Session`;
const PROPERTIES = "org.freedesktop.DBus.Properties";
const MATCHES = [
  `type='signal',sender='${LOGIN}',interface='${LOGIN}.Manager',member='PrepareForSleep'`,
  `type='signal',sender='${LOGIN}',interface='${SESSION}',member='Lock'`,
  `type='signal',sender='${LOGIN}',interface='${PROPERTIES}',member='PropertiesChanged',arg0='${SESSION}'`,
];
const RETRY_MS = 60_000;

const signalSchema = z.looseObject({
  interface: z.string(),
  member: z.string(),
  path: z.string(),
  body: z.array(z.unknown()).default([]),
});
/** A variant comes as its signature and its one value. */
const variant = z.tuple([z.unknown(), z.tuple([z.unknown()])]);
const changedSchema = z.tuple([z.string(), z.array(z.tuple([z.string(), variant]))]).rest(z.unknown());
const userSchema = z.tuple([z.unknown(), z.tuple([z.tuple([z.number(), z.string()])])]);

/** What is done when nobody sits at the computer any more. */
export interface Away {
  /** Locks what lies open, where its rules say so: one in use waits for its programs, like any whose time is up. */
  readonly lock: () => Promise<void>;
  readonly signOut: () => void;
}

/**
 * Locks what lies open when the computer goes to sleep or the person's screen is locked, where their rules say so.
 * Sleep signs out, too: no keys stay in a sleeping computer's memory but those a PIN brings back. Where no log-in
 * manager answers, nothing is watched.
 */
export function watchSleep(away: Away): () => void {
  let bus: MessageBus | null = null;
  let timer: NodeJS.Timeout | null = null;
  let stopped = false;
  const retry = (): void => {
    if (stopped || timer) return;
    bus = null;
    timer = setTimeout(connect, RETRY_MS).unref();
  };
  const connect = (): void => {
    timer = null;
    const connected = (bus = systemBus());
    connected.connection
      .on("error", retry)
      .on("end", retry)
      .on("message", (message: unknown) => {
        void onSignal(away, connected, message);
      });
    for (const match of MATCHES) listenFor(connected, match);
  };
  connect();
  return () => {
    stopped = true;
    if (timer) clearTimeout(timer);
    bus?.connection.stream.destroy();
  };
}

async function onSignal(away: Away, bus: MessageBus, message: unknown): Promise<void> {
  const parsed = signalSchema.safeParse(message);
  if (!parsed.success) return;
  const { member, path, body } = parsed.data;
  if (member === "PrepareForSleep" && body[0] === true) {
    await away.lock();
    away.signOut();
  }
  const isLocking =
    (member === "Lock" && parsed.data.interface === SESSION) || (member === "PropertiesChanged" && isLockedNow(body));
  if (isLocking && (await isOurs(bus, path))) await away.lock();
}

function isLockedNow(body: readonly unknown[]): boolean {
  const parsed = changedSchema.safeParse(body);
  return parsed.success && parsed.data[1].some(([name, [, [value]]]) => name === "LockedHint" && value === true);
}

/** Whether a session is this account's. */
function isOurs(bus: MessageBus, path: string): Promise<boolean> {
  return new Promise((resolve) => {
    bus.invoke(
      { path, destination: LOGIN, interface: PROPERTIES, member: "Get", signature: "ss", body: [SESSION, "User"] },
      (error, value) => {
        const user = error ? null : userSchema.safeParse(value);
        resolve(user?.success === true && user.data[1][0][0] === process.getuid?.());
      },
    );
  });
}
