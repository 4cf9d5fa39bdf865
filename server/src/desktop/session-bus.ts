import * as fs from "node:fs";
import * as path from "node:path";
import type { MessageBus } from "@homebridge/dbus-native";

declare module "@homebridge/dbus-native" {
  /** Its own types leave it out. */
  export function sessionBus(options: { readonly busAddress: string }): MessageBus;
  export interface MessageBus {
    exportInterface(
      object: Readonly<Record<string, unknown>>,
      path: string,
      its: {
        readonly name: string;
        readonly methods: Readonly<Record<string, readonly [string, string]>>;
        readonly signals?: Readonly<Record<string, readonly string[]>>;
        readonly properties?: Readonly<Record<string, string>>;
      },
    ): void;
    sendSignal(path: string, its: string, name: string, signature?: string, values?: readonly unknown[]): void;
    requestName(name: string, flags: number, answered: (error: unknown, answer: unknown) => void): void;
  }
}

/** Has a bus pass on the signals that a rule names. Source: D-Bus Specification, "Match Rules". */
export function listenFor(bus: MessageBus, rule: string): void {
  bus.invoke(
    {
      path: "/org/freedesktop/DBus",
      destination: "org.freedesktop.DBus",
      interface: "org.freedesktop.DBus",
      member: "AddMatch",
      signature: "s",
      body: [rule],
    },
    () => undefined,
  );
}

/**
 * The bus of the desktop's session, or null where there is none. Source: dbus-daemon(1), DBUS_SESSION_BUS_ADDRESS;
 * systemd's user bus.
 */
export async function sessionBusOrNull(
  environment: Readonly<Record<string, string | undefined>> = process.env,
): Promise<MessageBus | null> {
  const socket = path.join(environment["XDG_RUNTIME_DIR"] || "/nowhere", "bus");
  const busAddress = environment["DBUS_SESSION_BUS_ADDRESS"] || (fs.existsSync(socket) ? `unix:path=${socket}` : null);
  if (busAddress === null) return null;
  // Most commands ask nothing of the desktop, and begin sooner without it.
  const { sessionBus } = await import("@homebridge/dbus-native");
  try {
    return sessionBus({ busAddress });
  } catch {
    return null;
  }
}
