import { isEncrypting, isEremosError } from "@eremos/core";
import type { Eremos } from "../../eremos";
import { causedBy } from "../../ledger/cause";
import { whereverIs } from "../../look/where-is";
import type { FolderRecord } from "../../ledger/registry";
import type { Turns } from "../../watch/check-watch";
import { waysOf } from "../ways-back/renew-key";
import { check } from "./check";

const DAY_MS = 24 * 60 * 60 * 1000;

/**
 * As often as the owner wants, while somebody is signed in and nothing else is being done. A folder with a password of
 * its own waits for its owner.
 */
export function checksInTurn(eremos: Eremos): Turns {
  return {
    due: (now) => (eremos.jobs.busy ? null : dueNow(eremos, now)),
    check: (id) =>
      causedBy(
        { from: "itself", why: "in-turn" },
        async () => (await check(eremos, { pathOrId: id, from: "/", sample: true })).outcome,
      ),
  };
}

function dueNow(eremos: Eremos, now: number): string | null {
  const { keys } = eremos;
  const { checkEveryDays } = eremos.preferences.get();
  if (!keys || checkEveryDays === 0) return null;
  const before = now - checkEveryDays * DAY_MS;
  const waiting = eremos.registry
    .list(keys)
    .filter(
      (record) =>
        isEncrypting(record) &&
        (record.lastCheck?.at ?? record.protectedAt) < before &&
        !waysOf(eremos, record)?.hasPassword,
    );
  return (
    waiting.sort((a, b) => (a.lastCheck?.at ?? 0) - (b.lastCheck?.at ?? 0)).find((record) => isLocked(eremos, record))
      ?.id ?? null
  );
}

function isLocked(eremos: Eremos, record: FolderRecord): boolean {
  try {
    return whereverIs(eremos, record).located?.inspection.state === "sealed";
  } catch (error) {
    if (isEremosError(error)) return false;
    throw error;
  }
}
