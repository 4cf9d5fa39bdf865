import type { MessageBus } from "@homebridge/dbus-native";
import { DOORWAY_SIZE, doorwayPicture } from "./doorway-picture";
import { APPLICATION } from "./item-type";
import { listenFor, sessionBusOrNull } from "./session-bus";

/**
 * A small item in the desktop's panel, with a menu. Sources: freedesktop.org StatusNotifierItem; the DBusMenu interface
 * (com.canonical.dbusmenu) that its hosts read menus by.
 */
const ITEM = "org.kde.StatusNotifierItem";
const WATCHER = "org.kde.StatusNotifierWatcher";
const MENU = "com.canonical.dbusmenu";
const ITEM_AT = "/StatusNotifierItem";
const MENU_AT = "/Menu";
const DBUS = "org.freedesktop.DBus";
const ROOT = 0;

export interface MenuEntry {
  /** Null: a line between others. */
  readonly label: string | null;
  /** Null: it says something, and can't be chosen. */
  readonly act: (() => unknown) | null;
}

export interface PanelContent {
  /** What it says when it is pointed at. */
  readonly says: string;
  readonly isOpen: boolean;
  readonly entries: readonly MenuEntry[];
}

/** A structure of a layout: number, properties, what is below it. */
type Layout = readonly [number, readonly (readonly [string, readonly [string, unknown]])[], readonly unknown[]];

/** Where no panel shows such items, it is absent, and nothing fails; one that comes later shows it. */
export class PanelItem {
  private bus: MessageBus | null = null;
  private revision = 1;
  private isClosed = false;

  constructor(
    private content: PanelContent,
    private readonly environment: Readonly<Record<string, string | undefined>> = process.env,
  ) {}

  async show(): Promise<void> {
    const bus = await sessionBusOrNull(this.environment);
    if (!bus || this.isClosed) return void bus?.connection.stream.destroy();
    this.bus = bus;
    const gone = (): void => void (this.bus = null);
    bus.connection
      .on("error", gone)
      .on("end", gone)
      .on("message", (message: unknown) => this.hear(message));
    this.exportItem(bus);
    this.exportMenu(bus);
    // A panel may begin after this.
    listenFor(bus, `type='signal',sender='${DBUS}',member='NameOwnerChanged',arg0='${WATCHER}'`);
    bus.requestName(`${ITEM}-${process.pid}-1`, 0, () => this.register());
  }

  set(content: PanelContent): void {
    this.content = content;
    this.revision += 1;
    this.bus?.sendSignal(MENU_AT, MENU, "LayoutUpdated", "ui", [this.revision, ROOT]);
    for (const changed of ["NewToolTip", "NewTitle", "NewIcon"]) this.bus?.sendSignal(ITEM_AT, ITEM, changed);
  }

  close(): void {
    this.isClosed = true;
    this.bus?.connection.stream.destroy();
    this.bus = null;
  }

  private register(): void {
    this.call(WATCHER, "/StatusNotifierWatcher", "RegisterStatusNotifierItem", [`${ITEM}-${process.pid}-1`]);
  }

  private hear(message: unknown): void {
    const { member, body } = message as { readonly member?: unknown; readonly body?: readonly unknown[] };
    if (member === "NameOwnerChanged" && body?.[0] === WATCHER && body[2] !== "") this.register();
  }

  private call(destination: string, path: string, member: string, body: readonly [string]): void {
    this.bus?.invoke(
      { destination, path, interface: destination, member, signature: "s", body: [...body] },
      () => undefined,
    );
  }

  private exportItem(bus: MessageBus): void {
    const content = (): PanelContent => this.content;
    bus.exportInterface(
      {
        Activate: () => this.content.entries.at(-1)?.act?.(),
        SecondaryActivate: () => undefined,
        ContextMenu: () => undefined,
        Scroll: () => undefined,
        Category: "ApplicationStatus",
        Id: APPLICATION,
        Status: "Active",
        WindowId: 0,
        ItemIsMenu: true,
        Menu: MENU_AT,
        IconName: "",
        get Title() {
          return content().says;
        },
        get IconPixmap() {
          return [[DOORWAY_SIZE, DOORWAY_SIZE, doorwayPicture(content().isOpen, "argb")]];
        },
        get ToolTip() {
          return ["", [], "Eremos", content().says];
        },
      },
      ITEM_AT,
      {
        name: ITEM,
        methods: {
          Activate: ["ii", ""],
          SecondaryActivate: ["ii", ""],
          ContextMenu: ["ii", ""],
          Scroll: ["is", ""],
        },
        signals: { NewTitle: [""], NewIcon: [""], NewToolTip: [""] },
        properties: {
          Category: "s",
          Id: "s",
          Title: "s",
          Status: "s",
          WindowId: "i",
          ItemIsMenu: "b",
          Menu: "o",
          IconName: "s",
          IconPixmap: "a(iiay)",
          ToolTip: "(sa(iiay)ss)",
        },
      },
    );
  }

  private exportMenu(bus: MessageBus): void {
    const chosen = (id: number, what: string): void => {
      if (what === "clicked") this.content.entries[id - 1]?.act?.();
    };
    bus.exportInterface(
      {
        GetLayout: (parent: number) => [this.revision, this.layoutOf(parent)],
        GetGroupProperties: (ids: readonly number[]) =>
          (ids.length > 0 ? ids : this.content.entries.map((_, index) => index + 1)).map((id) =>
            this.layoutOf(id).slice(0, 2),
          ),
        GetProperty: (id: number, name: string) => this.layoutOf(id)[1].find(([one]) => one === name)?.[1] ?? ["s", ""],
        Event: (id: number, what: string) => chosen(id, what),
        EventGroup: (events: readonly (readonly [number, string])[]) => {
          for (const [id, what] of events) chosen(id, what);
          return [];
        },
        AboutToShow: () => false,
        AboutToShowGroup: () => [[], []],
        Version: 3,
        Status: "normal",
        TextDirection: "ltr",
        IconThemePath: [],
      },
      MENU_AT,
      {
        name: MENU,
        methods: {
          GetLayout: ["iias", "u(ia{sv}av)"],
          GetGroupProperties: ["aias", "a(ia{sv})"],
          GetProperty: ["is", "v"],
          Event: ["isvu", ""],
          EventGroup: ["a(isvu)", "ai"],
          AboutToShow: ["i", "b"],
          AboutToShowGroup: ["ai", "aiai"],
        },
        signals: { LayoutUpdated: ["ui"], ItemsPropertiesUpdated: ["a(ia{sv})a(ias)"] },
        properties: { Version: "u", Status: "s", TextDirection: "s", IconThemePath: "as" },
      },
    );
  }

  private layoutOf(id: number): Layout {
    const { entries } = this.content;
    if (id === ROOT)
      return [
        ROOT,
        [["children-display", ["s", "submenu"]]],
        entries.map((_, index) => ["(ia{sv}av)", this.layoutOf(index + 1)]),
      ];
    const { label, act } = entries[id - 1] ?? { label: null, act: null };
    if (label === null) return [id, [["type", ["s", "separator"]]], []];
    // An underscore stands before the letter that chooses it: in a name it is itself.
    return [
      id,
      [
        ["label", ["s", label.replaceAll("_", "__")]],
        ["enabled", ["b", act !== null]],
      ],
      [],
    ];
  }
}
