import type { ReactNode } from "react";
import type { ActivityView } from "@eremos/server/contract";
import { Time } from "@/ui/time";
import { say } from "@eremos/words/page/folders";

const WORDS: Readonly<Record<ActivityView["kind"], string>> = {
  locked: say("locked"),
  opened: say("opened-in-place"),
  released: say("released"),
  checked: say("checked-whole"),
  damaged: say("checked-damage-found"),
  recovered: say("put-right-after-interruption"),
  password: say("master-password-changed"),
  "folder-password": say("its-own-password-changed"),
  code: say("new-recovery-code"),
  reguarded: say("opened-be-locked-in-another"),
  visited: say("visited"),
  changed: say("changed-in-visit"),
  "put-back": say("put-back-as-it-was"),
  "taken-in": say("found-on-disk-and-taken"),
  practised: say("practice-run-way-back"),
  keyholders: say("keyholders-changed"),
  insured: say("its-insurance-changed"),
  repaired: say("damage-repaired-from-its-insurance"),
  "new-keys": say("new-keys-made"),
  cleared: say("traces-cleared-event"),
  "traces-back": say("traces-back-event"),
  removed: say("put-into-trash-event"),
  "out-of-trash": say("out-of-trash-event"),
  erased: say("removed-for-good-event"),
  mended: say("damage-its-records-repaired"),
};

/** `names` tells which folder an event belongs to; null where that is plain. */
export function EventList({
  events,
  names,
}: {
  readonly events: readonly ActivityView[];
  readonly names: ReadonlyMap<string, string> | null;
}): ReactNode {
  if (events.length === 0) return <p className="mt-2 text-sm text-mute">{say("nothing-has-happened-yet")}</p>;
  return (
    <ol className="mt-2 divide-y divide-line rounded-xl border border-line bg-sheet text-sm">
      {events.map((event) => (
        <li key={`${event.at} ${event.folder} ${event.kind}`} className="flex justify-between gap-4 px-4 py-2.5">
          <span className="min-w-0 truncate">
            <span className="font-medium">{WORDS[event.kind]}</span>
            {names && event.folder !== "" && (
              <span className="text-mute">
                , {names.get(event.folder) ?? (event.name || say("folder-that-is-not-protected"))}
              </span>
            )}
            {!event.signedIn && <span className="text-mute">{say("while-signed-out")}</span>}
          </span>
          <span className="shrink-0 text-mute">
            <Time at={event.at} />
          </span>
        </li>
      ))}
    </ol>
  );
}
