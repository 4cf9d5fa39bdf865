import { pathInAddress, percentDecoded } from "../engine/ground";
import type { TraceHome } from "./trace";

/**
 * Programs that open a file off a visit's drive remember it by an address of that drive, or by a path below where the
 * desktop mounts it; both name the visit, and so the folder.
 */
const ON_DRIVE = /^davs?:\/\/([^@/:]+)@127\.0\.0\.1:\d+(\/[^?#]*)$/i;
/** Source: GVfs, which names a mount by what it shows. */
const MOUNTED = /^\/(?:[^/]+\/)*\.?gvfs\/dav:host=127\.0\.0\.1,(?:[^/,]+,)*user=([^,/]+)[^/]*(\/[^]*)?$/;

/** The ordinary path that an address means, wherever it was opened; null for any other address. */
export function pathMeant(home: Pick<TraceHome, "visited">, address: string): Buffer | null {
  const [, name = "", below = ""] = ON_DRIVE.exec(address) ?? [];
  if (name !== "") return inFolder(home, name, percentDecoded(below));
  const path = pathInAddress(address);
  return path && ordinaryPath(home, path);
}

/** Of a path below a mounted drive the one in the folder; any other as it is. */
export function ordinaryPath(home: Pick<TraceHome, "visited">, path: Buffer): Buffer {
  const [, name = "", below = ""] = MOUNTED.exec(path.toString("latin1")) ?? [];
  return (name !== "" && inFolder(home, name, Buffer.from(below, "latin1"))) || path;
}

/** Whether a text holds the name by which the folder's visits are told apart. */
export function namesVisitOf(home: Pick<TraceHome, "visited">, folder: Buffer, text: string): boolean {
  const its = home.visited.find((one) => one.folder.equals(folder));
  return its !== undefined && (text.includes(`user=${its.name}`) || text.includes(`${its.name}@127.0.0.1`));
}

function inFolder({ visited }: Pick<TraceHome, "visited">, name: string, below: Buffer | null): Buffer | null {
  const its = visited.find((one) => one.name === name);
  if (!its || !below || below.includes(0)) return null;
  return below.length > 1 ? Buffer.concat([its.folder, below]) : its.folder;
}
