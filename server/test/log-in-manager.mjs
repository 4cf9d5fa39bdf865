/**
 * A stand-in for the system's log-in manager, on a bus of its own: says what it is told on its standard input, a line
 * each.
 */
import { sessionBus } from "@homebridge/dbus-native";
import { createInterface } from "node:readline";

const [, , busAddress, account] = process.argv;
const bus = sessionBus({ busAddress });
const MANAGER = {
  name: "org.freedesktop.login1.Manager",
  signals: { PrepareForSleep: ["b", "start"] },
  methods: {},
  properties: {},
};
const SESSION = {
  name: "org.freedesktop.login1.Session",
  signals: { Lock: [""] },
  methods: {},
  properties: { User: "(uo)", LockedHint: "b" },
};
const sessionOf = (uid) => ({ User: [uid, `/org/freedesktop/login1/user/_${uid}`], LockedHint: false });
const [OWN, OTHER] = ["/org/freedesktop/login1/session/_31", "/org/freedesktop/login1/session/_32"];

bus.requestName("org.freedesktop.login1", 0, () => {
  bus.exportInterface({}, "/org/freedesktop/login1", MANAGER);
  bus.exportInterface(sessionOf(Number(account)), OWN, SESSION);
  bus.exportInterface(sessionOf(Number(account) + 1), OTHER, SESSION);
  process.stdout.write("ready\n");
});

const hint = (path) =>
  bus.sendSignal(path, "org.freedesktop.DBus.Properties", "PropertiesChanged", "sa{sv}as", [
    SESSION.name,
    [["LockedHint", ["b", true]]],
    [],
  ]);
const SAYS = {
  sleep: () => bus.sendSignal("/org/freedesktop/login1", MANAGER.name, "PrepareForSleep", "b", [true]),
  wake: () => bus.sendSignal("/org/freedesktop/login1", MANAGER.name, "PrepareForSleep", "b", [false]),
  lock: () => bus.sendSignal(OWN, SESSION.name, "Lock"),
  hint: () => hint(OWN),
  "hint of another": () => hint(OTHER),
};
for await (const line of createInterface({ input: process.stdin })) SAYS[line]();
