import { type MessageBus, systemBus } from "@homebridge/dbus-native";
import { z } from "zod";
import type { Eremos } from "../eremos";
import { signOutIdle } from "../operations/sign-in";
import type { Sessions } from "../session/sessions";

/** How the log-in manager tells that the computer goes to sleep, or that a session is locked. Source: org.freedesktop.login1(5). */
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

/**
 * Locks what lies open when the computer goes to sleep or the person's screen is locked, where their rules say so. Sleep signs out, too: no keys
 * stay in a sleeping computer's memory but those a PIN brings back. Where no log-in manager answers, nothing is watched.
 */
export function watchSleep(eremos: Eremos, sessions: Sessions): () => void {
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
        void onSignal(eremos, sessions, connected, message);
      });
    for (const match of MATCHES)
      connected.invoke(
        {
          path: "/org/freedesktop/DBus",
          destination: "org.freedesktop.DBus",
          interface: "org.freedesktop.DBus",
          member: "AddMatch",
          signature: "s",
          body: [match],
        },
        () => undefined,
      );
  };
  connect();
  return () => {
    stopped = true;
    if (timer) clearTimeout(timer);
    bus?.connection.stream.destroy();
  };
}

async function onSignal(eremos: Eremos, sessions: Sessions, bus: MessageBus, message: unknown): Promise<void> {
  const parsed = signalSchema.safeParse(message);
  if (!parsed.success) return;
  const { member, path, body } = parsed.data;
  if (member === "PrepareForSleep" && body[0] === true) {
    await lockBeforeAway(eremos);
    if (!eremos.keys) return;
    sessions.endAll();
    signOutIdle(eremos);
  }
  const isLocking =
    (member === "Lock" && parsed.data.interface === SESSION) || (member === "PropertiesChanged" && isLockedNow(body));
  if (isLocking && (await isOurs(bus, path))) await lockBeforeAway(eremos);
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

/** Their time is up now: one in use waits for its programs, and is named, like any whose time is up. */
async function lockBeforeAway(eremos: Eremos): Promise<void> {
  for (const note of eremos.data.notes()) {
    if (!note.rules.atSleep) continue;
    eremos.keeper.forget(note.id);
    eremos.data.writeNote({ ...note, locksAt: Date.now(), staysUntil: 0 });
  }
  await eremos.keeper.look();
}
