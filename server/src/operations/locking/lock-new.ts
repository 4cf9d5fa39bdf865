import { makeFolder, refuseOffLimits, unmakeFolder } from "@eremos/core";
import type { Eremos } from "../../eremos";
import { fullPath } from "../../paths";
import { type LockJob, type LockRequest, lock } from "./lock-folder";

/**
 * A new private folder: it is locked before anything is in it, so that nothing of it is ever readable on the disk. What
 * could not be locked is not there afterwards. @throws EremosError for every refusal, as {@link lock}, and `path-taken`
 */
export function lockNew(eremos: Eremos, request: LockRequest): LockJob {
  eremos.requireOwner();
  const path =
    typeof request.path === "string" ? fullPath(request.path, eremos.settings.home, request.from) : request.path;
  refuseOffLimits(path, eremos.offLimits, eremos.places);
  makeFolder(eremos.disk, path);
  try {
    const job = lock(eremos, { ...request, path });
    job.outcome.catch(() => unmakeFolder(eremos.disk, path));
    return job;
  } catch (error) {
    unmakeFolder(eremos.disk, path);
    throw error;
  }
}
