/**
 * A stand-in for a desktop, on a bus of its own: notifications and the screen. Writes down what it is told, and does
 * what it is told on its standard input, a line of JSON each.
 */
import { createClient } from "@homebridge/dbus-native";
import { createInterface } from "node:readline";

const bus = createClient({ busAddress: process.argv[2] });
const NOTIFICATIONS = "org.freedesktop.Notifications";
const SCREEN = "org.freedesktop.ScreenSaver";
const tell = (what) => process.stdout.write(`${JSON.stringify(what)}\n`);
let last = 0;
let isLocked = false;

function answerNotifications() {
  bus.exportInterface(
    {
      Notify: (program, replaces, icon, summary, body, buttons, hints) => {
        const id = replaces || (last += 1);
        const urgency = hints.find(([name]) => name === "urgency")?.[1][1][0];
        tell({ shown: id, program, icon, summary, body, buttons, urgency });
        return id;
      },
      CloseNotification: (id) => tell({ closed: id }),
      GetCapabilities: () => ["actions", "body"],
    },
    "/org/freedesktop/Notifications",
    {
      name: NOTIFICATIONS,
      methods: {
        Notify: ["susssasa{sv}i", "u"],
        CloseNotification: ["u", ""],
        GetCapabilities: ["", "as"],
      },
      signals: { ActionInvoked: ["us"], NotificationClosed: ["uu"] },
    },
  );
}

bus.requestName(NOTIFICATIONS, 0, () =>
  bus.requestName(SCREEN, 0, () => {
    answerNotifications();
    bus.exportInterface({ GetActive: () => isLocked }, "/org/freedesktop/ScreenSaver", {
      name: SCREEN,
      methods: { GetActive: ["", "b"] },
      signals: { ActiveChanged: ["b"] },
    });
    tell({ ready: true });
  }),
);

for await (const line of createInterface({ input: process.stdin })) {
  const { press, screen } = JSON.parse(line);
  if (press) bus.sendSignal("/org/freedesktop/Notifications", NOTIFICATIONS, "ActionInvoked", "us", press);
  if (screen !== undefined) {
    isLocked = screen;
    bus.sendSignal("/org/freedesktop/ScreenSaver", SCREEN, "ActiveChanged", "b", [isLocked]);
  }
}
