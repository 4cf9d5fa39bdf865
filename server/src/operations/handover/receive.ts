import { type Password, type Received, displayPath, refuseOffLimits } from "@eremos/core";
import type { Eremos } from "../../eremos";
import type { JobSpec, StartedJob } from "../../jobs";
import { fullPath, nameOf } from "../../paths";
import { AS_BEFORE } from "../../protection";
import { ownAccount } from "../../session/keys";
import { findTarget } from "../locking/find-target";
import { lockNew } from "../locking/lock-new";
import { removeNow } from "../locking/remove";
import { sealedInput } from "../locking/sealed-input";
import { inPlaces, placeToMake } from "./places";
import { say } from "@eremos/words/server/handover";

export interface ReceiveRequest {
  /** The package. */
  readonly package: string;
  readonly password: Password;
  /** Where what is in it is to be: nothing may be there. */
  readonly at: string;
  /** Into a new locked folder, with nothing of it readable on the disk. */
  readonly lock: boolean;
  readonly from: string;
}

/**
 * Takes out what is in somebody's package. @throws EremosError `outside-places` | `nested` | `off-limits` | `path-taken`, before
 * anything is made
 */
export async function receive(eremos: Eremos, asked: ReceiveRequest): Promise<StartedJob<"receive">> {
  const { home } = eremos.settings;
  const from = inPlaces(eremos, fullPath(asked.package, home, asked.from));
  const to = placeToMake(eremos, fullPath(asked.at, home, asked.from));
  const password = Buffer.from(asked.password).toString("utf8").normalize("NFC");
  const shared = { from, password: Buffer.from(password) };
  if (asked.lock) return intoLocked(eremos, shared, to);
  refuseOffLimits(to, eremos.offLimits, eremos.places);
  return start(eremos, "", { ...shared, into: { kind: "directory", path: to } }, to, async () => undefined);
}

type Input = JobSpec<"receive">["request"]["input"];

async function intoLocked(
  eremos: Eremos,
  shared: Pick<Input, "from" | "password">,
  to: Buffer,
): Promise<StartedJob<"receive">> {
  eremos.requireKeys();
  const locking = await lockNew(eremos, { path: to, protection: AS_BEFORE, inUseAnyway: false, from: "/" });
  await locking.outcome;
  const target = findTarget(eremos, displayPath(to), "/");
  const { record } = target;
  const visit = { ...sealedInput(eremos, target), account: ownAccount(), keepEarlier: 0 };
  return start(eremos, record.id, { ...shared, into: { kind: "sealed", visit } }, to, async () => {
    // It was made for this alone, and nothing is in it.
    const { done } = await removeNow(eremos, {
      folder: record.id,
      name: nameOf(to),
      passes: 0,
      history: true,
      traces: false,
    });
    await done;
  });
}

function start(
  eremos: Eremos,
  folder: string,
  input: Input,
  to: Buffer,
  failed: () => Promise<void>,
): StartedJob<"receive"> {
  return eremos.jobs.start({
    folder,
    verb: "receive",
    request: { verb: "receive", input },
    before: () => undefined,
    after: async (received) => {
      const { files, committed } = received;
      if (committed && folder !== "") {
        const { record } = findTarget(eremos, folder, "/");
        eremos.ledger.known(eremos.requireKeys(), { ...record, ...committed });
      }
      await eremos.ledger.noticed(folder, "received", { count: files });
      eremos.announce({ topic: "folders" });
      return sentenceOf(received, to);
    },
    failed,
  });
}

function sentenceOf({ files, left, cipher, committed }: Received, to: Buffer): string {
  const [first] = left;
  return [
    say(committed ? "received-locked" : "received-readable", { files, path: displayPath(to) }),
    ...(cipher === "weak" ? [say("was-weak")] : []),
    ...(cipher === "none" ? [say("was-not-encrypted")] : []),
    ...(first ? [say("not-taken-out", { left: left.length, path: first.path, reason: first.reason })] : []),
  ].join(" ");
}
