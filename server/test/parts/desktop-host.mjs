/**
 * A stand-in for a desktop, on a bus of its own: notifications, the screen and the panel. Writes down what it is told, and does
 * what it is told on its standard input, a line of JSON each.
 */
import { sessionBus } from "@homebridge/dbus-native";
import { createInterface } from "node:readline";

const bus = sessionBus({ busAddress: process.argv[2] });
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
        const transient = hints.some(([name]) => name === "transient");
        tell({ shown: id, program, icon, summary, body, buttons, urgency, transient });
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

/** A panel: reads the items that are registered, and their menus, as hosts do. */
const WATCHER = "org.kde.StatusNotifierWatcher";
let item = null;
const ask = (destination, path, its, member, signature, body) =>
  new Promise((resolve, reject) =>
    bus.invoke({ destination, path, interface: its, member, signature, body }, (error, ...values) =>
      error ? reject(new Error(`${error.name}: ${error.message}`)) : resolve(values),
    ),
  );
async function readItem() {
  const [properties] = await ask(item, "/StatusNotifierItem", "org.freedesktop.DBus.Properties", "GetAll", "s", [
    "org.kde.StatusNotifierItem",
  ]);
  const of = (name) => properties.find(([one]) => one === name)[1][1][0];
  const [revision, [, , children]] = await ask(item, of("Menu"), "com.canonical.dbusmenu", "GetLayout", "iias", [
    0,
    -1,
    [],
  ]);
  const menu = children.map(([, [[id, its]]]) => {
    const valueOf = (name) => its.find(([one]) => one === name)?.[1][1][0];
    return { id, label: valueOf("label") ?? null, enabled: valueOf("enabled") ?? null, type: valueOf("type") ?? null };
  });
  const [[width, height, points]] = of("IconPixmap");
  tell({ panel: of("Title"), revision, menu, icon: [width, height, points.length] });
}
function beginPanel() {
  bus.exportInterface(
    {
      RegisterStatusNotifierItem: (name) => {
        item = name;
        void readItem().catch((error) => tell({ wrong: error.message }));
      },
    },
    "/StatusNotifierWatcher",
    { name: WATCHER, methods: { RegisterStatusNotifierItem: ["s", ""] } },
  );
  bus.requestName(WATCHER, 0, () => undefined);
}
bus.connection.on("message", ({ member }) => {
  if (member === "LayoutUpdated") void readItem().catch((error) => tell({ wrong: error.message }));
});
bus.invoke(
  {
    path: "/org/freedesktop/DBus",
    destination: "org.freedesktop.DBus",
    interface: "org.freedesktop.DBus",
    member: "AddMatch",
    signature: "s",
    body: ["type='signal',interface='com.canonical.dbusmenu'"],
  },
  () => undefined,
);

/** A portal that gives keys; `refuses`: its owner closes its window. */
const PORTAL_AT = "/org/freedesktop/portal/desktop";
const SHORTCUTS = "org.freedesktop.portal.GlobalShortcuts";
const REQUEST = "org.freedesktop.portal.Request";
const valueIn = (values, name) => values.find(([one]) => one === name)?.[1][1][0];
function beginPortal(refuses) {
  const respond = (options, code, results) => {
    const at = `${PORTAL_AT}/request/1_1/${valueIn(options, "handle_token")}`;
    setTimeout(() => bus.sendSignal(at, REQUEST, "Response", "ua{sv}", [code, results]), 20);
    return at;
  };
  bus.exportInterface(
    {
      version: 1,
      CreateSession: (options) =>
        respond(options, 0, [
          ["session_handle", ["s", `${PORTAL_AT}/session/1_1/${valueIn(options, "session_handle_token")}`]],
        ]),
      BindShortcuts: (session, shortcuts, _window, options) => {
        const asked = shortcuts.map(([id, its]) => ({
          id,
          description: valueIn(its, "description"),
          keys: valueIn(its, "preferred_trigger"),
        }));
        tell({ shortcuts: asked, session });
        const given = shortcuts.map(([id]) => [id, [["trigger_description", ["s", "Ctrl+Alt+L"]]]]);
        return respond(options, refuses ? 1 : 0, refuses ? [] : [["shortcuts", ["a(sa{sv})", given]]]);
      },
    },
    PORTAL_AT,
    {
      name: SHORTCUTS,
      methods: { CreateSession: ["a{sv}", "o"], BindShortcuts: ["oa(sa{sv})sa{sv}", "o"] },
      signals: { Activated: ["osta{sv}"] },
      properties: { version: "u" },
    },
  );
  bus.requestName("org.freedesktop.portal.Desktop", 0, () => tell({ portal: true }));
}

for await (const line of createInterface({ input: process.stdin })) {
  const { press, screen, panel, choose, portal, keys } = JSON.parse(line);
  if (portal) beginPortal(portal === "refuses");
  if (keys) bus.sendSignal(PORTAL_AT, SHORTCUTS, "Activated", "osta{sv}", [keys.session, keys.id, 0, []]);
  if (panel) beginPanel();
  if (choose)
    void ask(item, "/Menu", "com.canonical.dbusmenu", "Event", "isvu", [choose, "clicked", ["s", ""], 0]).catch(
      (error) => tell({ wrong: error.message }),
    );
  if (press) bus.sendSignal("/org/freedesktop/Notifications", NOTIFICATIONS, "ActionInvoked", "us", press);
  if (screen !== undefined) {
    isLocked = screen;
    bus.sendSignal("/org/freedesktop/ScreenSaver", SCREEN, "ActiveChanged", "b", [isLocked]);
  }
}
