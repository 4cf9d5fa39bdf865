import type { MessageBus } from "@homebridge/dbus-native";
import * as z from "zod";
import { APPLICATION } from "./item-type";
import { listenFor, sessionBusOrNull } from "./session-bus";

/**
 * Keys that the desktop gives a program wherever one is on it; the desktop asks its owner which. Sources: XDG Desktop
 * Portal, org.freedesktop.portal.GlobalShortcuts, Request and Registry.
 */
const PORTAL = "org.freedesktop.portal.Desktop";
const AT = "/org/freedesktop/portal/desktop";
const SHORTCUTS = "org.freedesktop.portal.GlobalShortcuts";
const REQUEST = "org.freedesktop.portal.Request";
const REGISTRY = "org.freedesktop.host.portal.Registry";
const ANSWER_MS = 5000;
/** The owner may take their time with the desktop's question. */
const CHOOSE_MS = 10 * 60_000;
const DONE = 0;

/** As the bus hands it on: a name, and a value with its type before it. */
const variantSchema = z.tuple([z.unknown(), z.array(z.unknown()).min(1)]);
const namedValuesSchema = z.array(z.tuple([z.string(), variantSchema]));
const signalSchema = z.looseObject({
  path: z.string(),
  interface: z.string(),
  member: z.string(),
  body: z.array(z.unknown()).default([]),
});
const responseSchema = z.tuple([z.number(), namedValuesSchema]);
const shortcutsSchema = z.array(z.tuple([z.string(), namedValuesSchema]));

type Values = z.output<typeof namedValuesSchema>;
type Environment = Readonly<Record<string, string | undefined>>;

export interface Shortcut {
  readonly id: string;
  /** What it does, for the desktop's question and its settings. */
  readonly description: string;
  /** Proposed to the desktop. Source: the portal's "shortcuts" specification. */
  readonly keys: string;
}

function valueOf(values: Values, name: string): unknown {
  return values.find(([one]) => one === name)?.[1][1][0];
}

/** Whether this desktop gives keys to programs. */
export async function offersShortcuts(environment: Environment = process.env): Promise<boolean> {
  const bus = await sessionBusOrNull(environment);
  if (!bus) return false;
  bus.connection.on("error", () => undefined);
  try {
    const version = await call(bus, "org.freedesktop.DBus.Properties", "Get", "ss", [SHORTCUTS, "version"]);
    return variantSchema.safeParse(version).success;
  } finally {
    bus.connection.stream.destroy();
  }
}

/** One shortcut, for as long as its connection lives. */
export class DesktopShortcut {
  private bus: MessageBus | null = null;
  private readonly responses = new Map<string, (response: Values | null) => void>();
  private session: string | null = null;

  constructor(
    private readonly shortcut: Shortcut,
    private readonly pressed: () => unknown,
    private readonly environment: Environment = process.env,
  ) {}

  /** @returns the keys that its owner gave it, as the desktop says them; null where it has none */
  async begin(): Promise<string | null> {
    const bus = await sessionBusOrNull(this.environment);
    if (!bus) return null;
    this.bus = bus;
    bus.connection
      .on("error", () => this.end())
      .on("end", () => this.end())
      .on("message", (message: unknown) => this.hear(message));
    for (const its of [SHORTCUTS, REQUEST]) listenFor(bus, `type='signal',interface='${its}'`);
    // Desktops that know programs by other means have no such registry.
    await call(bus, REGISTRY, "Register", "sa{sv}", [APPLICATION, []]);
    const opened = await this.request("CreateSession", "a{sv}", (token) => [
      [
        ["handle_token", ["s", token]],
        ["session_handle_token", ["s", "eremos"]],
      ],
    ]);
    const session = opened && valueOf(opened, "session_handle");
    if (typeof session !== "string") return null;
    this.session = session;
    const { id, description, keys } = this.shortcut;
    const bound = await this.request("BindShortcuts", "oa(sa{sv})sa{sv}", (token) => [
      session,
      [
        [
          id,
          [
            ["description", ["s", description]],
            ["preferred_trigger", ["s", keys]],
          ],
        ],
      ],
      "",
      [["handle_token", ["s", token]]],
    ]);
    const given = shortcutsSchema.safeParse(bound && valueOf(bound, "shortcuts"));
    const [, its = []] = (given.success && given.data.find(([one]) => one === id)) || [];
    const words = valueOf(its, "trigger_description");
    return typeof words === "string" && words !== "" ? words : null;
  }

  end(): void {
    this.bus?.connection.stream.destroy();
    this.bus = null;
    this.session = null;
    for (const answer of this.responses.values()) answer(null);
    this.responses.clear();
  }

  /** What the desktop answers once its owner has, or null. */
  private async request(
    member: string,
    signature: string,
    body: (token: string) => readonly unknown[],
  ): Promise<Values | null> {
    if (!this.bus) return null;
    const token = `eremos_${member}`;
    return new Promise((resolve) => {
      const timer = setTimeout(() => resolve(null), CHOOSE_MS);
      timer.unref();
      // The answer may come before it is said where: it is known by the token, which ends the request's path.
      this.responses.set(token, (response) => {
        clearTimeout(timer);
        this.responses.delete(token);
        resolve(response);
      });
      if (this.bus)
        void call(this.bus, SHORTCUTS, member, signature, body(token)).then((handle) => {
          if (handle === undefined) this.responses.get(token)?.(null);
        });
    });
  }

  private hear(message: unknown): void {
    const parsed = signalSchema.safeParse(message);
    if (!parsed.success) return;
    const { interface: its, member, path, body } = parsed.data;
    if (its === REQUEST && member === "Response") {
      const response = responseSchema.safeParse(body);
      const [code, values] = response.success ? response.data : [null, []];
      this.responses.get(path.slice(path.lastIndexOf("/") + 1))?.(code === DONE ? values : null);
    } else if (its === SHORTCUTS && member === "Activated" && body[0] === this.session && body[1] === this.shortcut.id)
      this.pressed();
  }
}

/** Undefined where nobody answers, or with an error. */
function call(
  bus: MessageBus,
  its: string,
  member: string,
  signature: string,
  body: readonly unknown[],
): Promise<unknown> {
  return new Promise((resolve) => {
    const timer = setTimeout(() => resolve(undefined), ANSWER_MS);
    timer.unref();
    const called = { destination: PORTAL, path: AT, interface: its, member, signature, body };
    bus.invoke(called as Parameters<MessageBus["invoke"]>[0], (error: unknown, answer: unknown) => {
      clearTimeout(timer);
      resolve(error ? undefined : (answer ?? null));
    });
  });
}
