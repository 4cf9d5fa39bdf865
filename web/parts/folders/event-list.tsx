import type { ReactNode } from "react";
import type { ActivityView } from "@eremos/server/contract";
import { Time } from "@/ui/time";

const WORDS: Readonly<Record<ActivityView["kind"], string>> = {
  locked: "Locked",
  opened: "Opened in place",
  released: "Released",
  checked: "Checked, whole",
  damaged: "Checked, damage found",
  recovered: "Put right after an interruption",
  password: "Master password changed",
  "folder-password": "Its own password changed",
  code: "New recovery code",
  reguarded: "Opened to be locked in another way",
  visited: "Visited",
  changed: "Changed in a visit",
  "put-back": "Put back as it was at the last lock",
  "taken-in": "Found on the disk and taken in",
  practised: "Practice run of a way back",
  keyholders: "Keyholders changed",
  insured: "Its insurance changed",
  repaired: "Damage repaired from its insurance",
  "new-keys": "New keys made",
  mended: "Damage to its records repaired",
};

/** `names` tells which folder an event belongs to; null where that is plain. */
export function EventList({
  events,
  names,
}: {
  readonly events: readonly ActivityView[];
  readonly names: ReadonlyMap<string, string> | null;
}): ReactNode {
  if (events.length === 0) return <p className="mt-2 text-sm text-mute">Nothing has happened yet.</p>;
  return (
    <ol className="mt-2 divide-y divide-line rounded-xl border border-line bg-sheet text-sm">
      {events.map((event) => (
        <li key={`${event.at} ${event.folder} ${event.kind}`} className="flex justify-between gap-4 px-4 py-2.5">
          <span className="min-w-0 truncate">
            <span className="font-medium">{WORDS[event.kind]}</span>
            {names && event.folder !== "" && (
              <span className="text-mute">
                , {names.get(event.folder) ?? "a folder that is not protected any more"}
              </span>
            )}
            {!event.signedIn && <span className="text-mute">, while signed out</span>}
          </span>
          <span className="shrink-0 text-mute">
            <Time at={event.at} />
          </span>
        </li>
      ))}
    </ol>
  );
}
