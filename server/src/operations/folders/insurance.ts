import { type FolderSecret, type InsuranceLevel, priceOf } from "@eremos/core";
import type { Insurance, InsuranceView } from "../../contract";
import { INSURANCES } from "../../calls/shapes/ways-back";
import type { Eremos } from "../../eremos";
import type { StartedJob } from "../../jobs";
import { describeRanges, requireSealed } from "./check";
import { type Target, findTarget } from "../locking/find-target";
import { withFolderKey } from "../locking/folder-password";
import { formatBytes } from "../../size-words";
import { decodePath, nameOf } from "../../paths";
import { sealedInput } from "../locking/sealed-input";
import { findUnvisited } from "./visit";
import { say } from "@eremos/words/server/folders";

/** Of each `data` + `parity` blocks of 4 KiB, any `parity` may be lost. */
const LEVELS: Readonly<Record<Insurance, InsuranceLevel>> = {
  light: { data: 40, parity: 2 },
  standard: { data: 30, parity: 3 },
  strong: { data: 20, parity: 5 },
};

/** @throws EremosError `not-protected` | `unsupported` */
export async function insuranceView(eremos: Eremos, folder: string, from = "/"): Promise<InsuranceView> {
  eremos.requireKeys();
  const target = findTarget(eremos, folder, from);
  requireSealed(target);
  const input = { path: target.located.realPath };
  const facts = await eremos.ask<"insurance-facts">({ verb: "insurance-facts", input });
  const bytes = facts?.covers ?? target.record.bytes;
  const chosen =
    facts &&
    (INSURANCES.find((one) => LEVELS[one].data === facts.level.data && LEVELS[one].parity === facts.level.parity) ??
      "other");
  return {
    chosen,
    now: facts && {
      costs: facts.costs,
      burst: Math.min(facts.burst, facts.covers),
      scattered: facts.scattered,
      uncovered: facts.uncovered,
    },
    choices: INSURANCES.map((insurance) => ({ insurance, ...priceOf(bytes, LEVELS[insurance]) })),
  };
}

async function sealedTarget(
  eremos: Eremos,
  folder: string,
  from: string,
): Promise<{ readonly target: Target; readonly name: string }> {
  eremos.requireKeys();
  const target = await findUnvisited(eremos, folder, from);
  requireSealed(target);
  return { target, name: nameOf(decodePath(target.record.path)) };
}

/**
 * Insures a locked folder, otherwise than before, or (null) no more. @throws EremosError `not-locked` | `unsupported`
 */
export async function insure(
  eremos: Eremos,
  folder: string,
  insurance: Insurance | null,
  from = "/",
): Promise<StartedJob<"insure">> {
  const { target, name } = await sealedTarget(eremos, folder, from);
  return eremos.jobs.start({
    folder: target.record.id,
    verb: "insure",
    request: { verb: "insure", input: { path: target.located.realPath, level: insurance && LEVELS[insurance] } },
    before: () => undefined,
    after: async (facts) => {
      await eremos.ledger.happened(target.record.id, "insured");
      eremos.announce({ topic: "folders" });
      return facts
        ? say("is-insured-it-takes-more", {
            name,
            costs: formatBytes(facts.costs),
            min: formatBytes(Math.min(facts.burst, facts.covers)),
          })
        : say("is-not-insured-any-more", { name });
    },
    failed: async () => undefined,
  });
}

/**
 * Finds damage by the insurance, and repairs it. Needs no password of the folder's own; with it, more can be mended in
 * part. @throws EremosError `unsupported` | `wrong-password`
 */
export async function repair(
  eremos: Eremos,
  folder: string,
  secret: FolderSecret | null = null,
  from = "/",
): Promise<StartedJob<"repair">> {
  const { target, name } = await sealedTarget(eremos, folder, from);
  return secret === null
    ? startRepair(eremos, target, name, null)
    : withFolderKey(eremos, target, secret, (folderKey) => startRepair(eremos, target, name, folderKey));
}

function startRepair(eremos: Eremos, target: Target, name: string, folderKey: Buffer | null): StartedJob<"repair"> {
  return eremos.jobs.start({
    folder: target.record.id,
    verb: "repair",
    request: { verb: "repair", input: sealedInput(eremos, target, { folderKey }) },
    before: () => undefined,
    after: async ({ repaired, lost, ownDamage, bytes }) => {
      // What the last check found is no news any more where everything was repaired.
      const { record } = target;
      if (repaired.length > 0) await eremos.ledger.happened(record.id, "repaired");
      if (eremos.keys && lost.length === 0 && record.lastCheck?.ok === false)
        eremos.ledger.known(eremos.keys, { ...record, lastCheck: null });
      eremos.announce({ topic: "folders" });
      const mended =
        repaired.length === 0 ? "" : say("damaged-parts-were-repaired-byte", { repaired: repaired.length });
      const left =
        lost.length === 0
          ? ""
          : say("beyond-repair-check-folder-see", {
              lost: lost
                .slice(0, 3)
                .map(({ path, ranges }) => `${path} (${describeRanges(ranges)})`)
                .join(", "),
            });
      const own = ownDamage ? say("damage-in-insurance-itself-was") : "";
      return repaired.length + lost.length === 0 && !ownDamage
        ? say("nothing-is-damaged-in-that", { name, bytes: formatBytes(bytes) })
        : `${name}:${mended}${left}${own}`;
    },
    failed: async () => undefined,
  });
}
