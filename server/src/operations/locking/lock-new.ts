import { refuseOffLimits } from "@eremos/core";
import type { Eremos } from "../../eremos";
import { fullPath } from "../../paths";
import { type LockJob, type LockRequest, lock } from "./lock-folder";

/**
 * A new private folder: it is locked before anything is in it, so that nothing of it is ever readable on the disk. What
 * could not be locked is not there afterwards. @throws EremosError for every refusal, as {@link lock}, and `path-taken`
 */
export async function lockNew(eremos: Eremos, request: LockRequest): Promise<LockJob> {
  eremos.requireOwner();
  const path =
    typeof request.path === "string" ? fullPath(request.path, eremos.settings.home, request.from) : request.path;
  refuseOffLimits(path, eremos.offLimits, eremos.places);
  await eremos.ask<"make-folder">({ verb: "make-folder", input: path });
  const unmake = (): Promise<unknown> => eremos.ask<"unmake-folder">({ verb: "unmake-folder", input: path });
  try {
    const job = await lock(eremos, { ...request, path });
    // What it failed by is told by the job.
    job.outcome.catch(unmake).catch(() => undefined);
    return job;
  } catch (error) {
    await unmake();
    throw error;
  }
}
