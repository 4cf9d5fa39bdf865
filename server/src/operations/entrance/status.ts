import { installationOf } from "../../desktop/installation";
import { isRunning } from "../../desktop/launcher";
import { Eremos } from "../../eremos";
import { type Settings, isDirectory } from "../../settings";
import { countOpen } from "../locking/close-up";

interface OwnStatus {
  readonly version: string;
  readonly running: boolean;
  /** How many folders and files are protected, and how many of them lie open; no name is told. */
  readonly protected: number;
  readonly open: number;
}

/** What can be told without the password. Makes nothing where Eremos has no data of its own yet. */
export async function statusOf(settings: Settings): Promise<OwnStatus> {
  const { version } = installationOf(settings.program);
  if (!isDirectory(settings.dataDirectory)) return { version, running: false, protected: 0, open: 0 };
  const eremos = Eremos.open(settings);
  try {
    return {
      version,
      running: await isRunning(eremos.data),
      protected: eremos.registry.count(),
      open: countOpen(eremos),
    };
  } finally {
    eremos.close();
  }
}
