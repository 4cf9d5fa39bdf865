import { EremosError, pathInAddress } from "@eremos/core";
import type { Settings } from "../settings";
import { APPLICATION } from "./item-type";
import { meantBy, showPage } from "./launcher";
import { sessionBusOrNull } from "./session-bus";
import { said } from "@eremos/words/server/desktop";

/**
 * Eremos as an application that a desktop starts by its session's bus: what is to be opened comes by the bus, and no
 * name is a word of a command line. Source: freedesktop.org Desktop Entry Specification, "D-Bus Activation".
 */
const AT = `/${APPLICATION.replaceAll(".", "/")}`;
const ITS_INTERFACE = {
  name: "org.freedesktop.Application",
  methods: { Activate: ["a{sv}", ""], Open: ["asa{sv}", ""], ActivateAction: ["sava{sv}", ""] },
} as const;
/** Source: D-Bus Specification, "org.freedesktop.DBus.RequestName". */
const NOT_IN_LINE = 4;
const OWNS_IT = 1;
/** Once nothing was asked for so long, it ends. */
const IDLE_MS = 5000;

/**
 * Answers the desktop until nothing was asked for a while. It shows, and never opens by itself: whoever can write an
 * item can make somebody look at a page, and no more. @throws EremosError `unsupported` without a session's bus
 */
export async function answerDesktop(settings: Settings): Promise<void> {
  const bus = await sessionBusOrNull();
  if (!bus) throw new EremosError("unsupported", said("no-session-bus"));
  return new Promise((resolve) => {
    const end = (): void => {
      clearTimeout(timer);
      bus.connection.stream.destroy();
      resolve();
    };
    let timer = setTimeout(end, IDLE_MS);
    const answer = async (paths: readonly (Buffer | null)[]): Promise<void> => {
      clearTimeout(timer);
      try {
        for (const path of paths) await showPage(settings, path && meantBy(path), "desktop");
      } finally {
        timer = setTimeout(end, IDLE_MS);
      }
    };
    bus.exportInterface(
      {
        Activate: () => answer([null]),
        Open: (addresses: readonly string[]) => answer(addresses.map(pathInAddress).filter((path) => path !== null)),
        ActivateAction: () => answer([null]),
      },
      AT,
      ITS_INTERFACE,
    );
    bus.connection.on("error", end).on("end", end);
    bus.requestName(APPLICATION, NOT_IN_LINE, (_error, given) => given !== OWNS_IT && end());
  });
}
