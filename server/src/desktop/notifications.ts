import { printable } from "@eremos/core";
import type { MessageBus } from "@homebridge/dbus-native";
import * as z from "zod";
import { DOORWAY_SIZE, doorwayPicture } from "./doorway-picture";
import { APPLICATION } from "./item-type";
import { listenFor, sessionBusOrNull } from "./session-bus";

/**
 * What the desktop shows beside everything else, for a while, with buttons. Source: freedesktop.org Desktop
 * Notifications Specification 1.2.
 */
const NOTIFICATIONS = "org.freedesktop.Notifications";
const AT = "/org/freedesktop/Notifications";
const URGENCY = { low: 0, normal: 1, critical: 2 } as const;
/** Where no icon of that name is installed. Width, height, bytes of a row, alpha, bits, parts of a point, points. */
const PICTURE = [DOORWAY_SIZE, DOORWAY_SIZE, DOORWAY_SIZE * 4, true, 8, 4, doorwayPicture(false, "rgba")] as const;
/** As long as the desktop likes. */
const USUAL_TIME = -1;
const NEW = 0;

/** Desktops that tell whether the screen is locked, each by its own name. Source: their introspection. */
const SCREENS = [
  { name: "org.freedesktop.ScreenSaver", at: "/org/freedesktop/ScreenSaver" },
  { name: "org.gnome.ScreenSaver", at: "/org/gnome/ScreenSaver" },
] as const;
const ANSWER_MS = 2000;

export interface NoticeButton {
  readonly id: string;
  readonly label: string;
  readonly act: () => unknown;
}

export interface Notice {
  /** What it is about: a later one about the same takes its place. */
  readonly about: string;
  readonly summary: string;
  readonly body: string;
  readonly urgency: keyof typeof URGENCY;
  readonly buttons: readonly NoticeButton[];
  /** Not kept by the desktop for later. */
  readonly isPassing?: boolean;
}

const signalSchema = z.looseObject({
  interface: z.string(),
  member: z.string(),
  body: z.array(z.unknown()).default([]),
});
const invokedSchema = z.tuple([z.number(), z.string()]);

/** Bodies may hold markup. Source: Desktop Notifications Specification, "Markup". */
function plain(text: string): string {
  return text.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll(">", "&gt;");
}

/** Says something quietly, once. @returns whether a desktop shows it */
export async function sayOnDesktop(body: string): Promise<boolean> {
  const notifications = new Notifications();
  try {
    return await notifications.show({
      about: "once",
      summary: "Eremos",
      body,
      urgency: "low",
      buttons: [],
      isPassing: true,
    });
  } finally {
    notifications.close();
  }
}

interface Shown {
  readonly about: string;
  readonly buttons: readonly NoticeButton[];
}

/** Where no desktop answers, nothing is shown, and nothing fails. */
export class Notifications {
  private bus: Promise<MessageBus | null> | null = null;
  private readonly shown = new Map<number, Shown>();
  private readonly screenWatchers = new Set<(isLocked: boolean) => void>();
  private isClosed = false;

  constructor(private readonly environment: Readonly<Record<string, string | undefined>> = process.env) {}

  /** Whatever is said is text, whoever named it. @returns whether a desktop shows it */
  async show(notice: Notice): Promise<boolean> {
    const before = [...this.shown].find(([, { about }]) => about === notice.about)?.[0] ?? NEW;
    const id = await this.call(NOTIFICATIONS, AT, "Notify", "susssasa{sv}i", [
      "Eremos",
      before,
      APPLICATION,
      printable(notice.summary),
      plain(printable(notice.body)),
      notice.buttons.flatMap(({ id: button, label }) => [button, label]),
      [
        ["urgency", ["y", URGENCY[notice.urgency]]],
        ["desktop-entry", ["s", APPLICATION]],
        ["image-data", ["(iiibiiay)", PICTURE]],
        ...(notice.isPassing ? [["transient", ["b", true]]] : []),
      ],
      USUAL_TIME,
    ]);
    if (typeof id !== "number") return false;
    this.shown.delete(before);
    this.shown.set(id, notice);
    return true;
  }

  /** What it was about is over. */
  async withdraw(about: string): Promise<void> {
    for (const [id, shown] of this.shown)
      if (shown.about === about) {
        this.shown.delete(id);
        await this.call(NOTIFICATIONS, AT, "CloseNotification", "u", [id]);
      }
  }

  /** Whether others can see the screen while nobody may use it; null: no desktop tells. */
  async isScreenLocked(): Promise<boolean | null> {
    for (const { name, at } of SCREENS) {
      const isActive = await this.call(name, at, "GetActive", "", []);
      if (typeof isActive === "boolean") return isActive;
    }
    return null;
  }

  /** Calls whenever the screen is locked or unlocked. */
  onScreen(changed: (isLocked: boolean) => void): void {
    this.screenWatchers.add(changed);
  }

  close(): void {
    this.isClosed = true;
    void this.bus?.then((bus) => bus?.connection.stream.destroy());
  }

  private connected(): Promise<MessageBus | null> {
    if (this.isClosed) return Promise.resolve(null);
    return (this.bus ??= this.connect());
  }

  private async connect(): Promise<MessageBus | null> {
    const bus = await sessionBusOrNull(this.environment);
    // A desktop that begins later is found at the next notice.
    const end = (): void => void (this.bus = null);
    if (!bus) {
      end();
      return null;
    }
    bus.connection
      .on("error", end)
      .on("end", end)
      .on("message", (message: unknown) => this.hear(message));
    for (const { name } of [{ name: NOTIFICATIONS }, ...SCREENS]) listenFor(bus, `type='signal',interface='${name}'`);
    return bus;
  }

  private hear(message: unknown): void {
    const parsed = signalSchema.safeParse(message);
    if (!parsed.success) return;
    const { interface: from, member, body } = parsed.data;
    if (from === NOTIFICATIONS && member === "ActionInvoked") {
      const invoked = invokedSchema.safeParse(body);
      if (!invoked.success) return;
      const [id, button] = invoked.data;
      void this.shown
        .get(id)
        ?.buttons.find((one) => one.id === button)
        ?.act();
    } else if (from === NOTIFICATIONS && member === "NotificationClosed") this.shown.delete(Number(body[0]));
    else if (member === "ActiveChanged" && SCREENS.some(({ name }) => name === from))
      for (const changed of this.screenWatchers) changed(body[0] === true);
  }

  /** What is answered; undefined where nobody does. */
  private async call(
    destination: string,
    at: string,
    member: string,
    signature: string,
    body: readonly unknown[],
  ): Promise<unknown> {
    const bus = await this.connected();
    if (!bus) return undefined;
    return new Promise((resolve) => {
      const timer = setTimeout(() => resolve(undefined), ANSWER_MS);
      const called = { destination, path: at, interface: destination, member, ...(signature && { signature, body }) };
      bus.invoke(called as Parameters<MessageBus["invoke"]>[0], (error: unknown, answer: unknown) => {
        clearTimeout(timer);
        resolve(error ? undefined : answer);
      });
    });
  }
}
