"use client";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { InterruptionView } from "@eremos/server/contract";
import { useWithSecret } from "@/parts/secrets/ask-secret";
import { api } from "@/lib/api";
import { KEYS, useFolders, useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Time } from "@/ui/time";
import { ACT_WORDS } from "./acts";
import { say } from "@eremos/words/page/folders";

export function useInterruptions(): readonly InterruptionView[] {
  return useQuery({ queryKey: KEYS.interruptions, queryFn: api.interruptions }).data ?? [];
}

/** Work that was cut off, each explained, and finished or left undone as the person chooses. */
export function Interruptions(): ReactNode {
  const interruptions = useInterruptions();
  if (interruptions.length === 0) return null;
  return (
    <ul aria-label={say("cut-off")} className="space-y-2 pt-2 pb-1.5">
      {interruptions.map((one) => (
        <li key={one.folder}>
          <Interruption one={one} />
        </li>
      ))}
    </ul>
  );
}

function Interruption({ one }: { readonly one: InterruptionView }): ReactNode {
  const client = useQueryClient();
  const settled = async (): Promise<void> => {
    await api.forgetInterruption(one.folder);
    await client.invalidateQueries({ queryKey: KEYS.interruptions });
  };
  const leave = useVerb(settled);
  const lock = useVerb(async () => {
    await api.lock(one.path, one.protection);
    await settled();
  });
  const { what, end, undo } = wordsFor(one);
  return (
    <section
      aria-label={say("cut-off-2", { name: one.name })}
      className="rounded-xl border border-ochre/50 bg-ochre-soft px-4 py-3 text-sm"
    >
      <p>
        <strong>{one.name}</strong>: {what}{" "}
        <span className="text-mute">
          <Time at={one.at} />
        </span>
      </p>
      <div className="mt-2 flex flex-wrap gap-2">
        {(end === "lock" || undo === "lock") && (
          <Button
            size="small"
            tone={end === "lock" ? "dusk" : "plain"}
            disabled={lock.pending}
            onClick={() => lock.run()}
          >
            {one.now === "partly" ? ACT_WORDS["lock-rest"] : say("lock-it-now")}
          </Button>
        )}
        {(end === "open" || undo === "open") && <Open one={one} isMain={end === "open"} onDone={settled} />}
        {end === "release" && <Release one={one} onDone={settled} />}
        <Button size="small" disabled={leave.pending} onClick={() => leave.run()}>
          {say("leave-it-as-it-is")}
        </Button>
      </div>
    </section>
  );
}

interface OneProps {
  readonly one: InterruptionView;
  readonly onDone: () => Promise<void>;
}

function Open({ one, isMain, onDone }: OneProps & { readonly isMain: boolean }): ReactNode {
  const folder = useFolders()?.find(({ id }) => id === one.folder);
  if (!folder) return null;
  return <OpenIt folder={folder} isMain={isMain} onDone={onDone} />;
}

function OpenIt({
  folder,
  isMain,
  onDone,
}: {
  readonly folder: Parameters<typeof useWithSecret>[0];
  readonly isMain: boolean;
  readonly onDone: () => Promise<void>;
}): ReactNode {
  const open = useWithSecret(folder, say("open-it"), async (secret) => {
    await api.unlock(folder.id, { kind: "usual" }, secret);
    await onDone();
  });
  return (
    <>
      <Button size="small" tone={isMain ? "clay" : "plain"} disabled={open.pending} onClick={() => open.run()}>
        {say("open-it")}
      </Button>
      {open.dialog}
    </>
  );
}

function Release({ one, onDone }: OneProps): ReactNode {
  const folder = useFolders()?.find(({ id }) => id === one.folder);
  if (!folder) return null;
  return <ReleaseIt folder={folder} onDone={onDone} />;
}

function ReleaseIt({
  folder,
  onDone,
}: {
  readonly folder: Parameters<typeof useWithSecret>[0];
  readonly onDone: () => Promise<void>;
}): ReactNode {
  const release = useWithSecret(folder, say("release-it"), async (secret) => {
    await api.release(folder.id, secret);
    await onDone();
  });
  return (
    <>
      <Button size="small" tone="dusk" disabled={release.pending} onClick={() => release.run()}>
        {say("release-it")}
      </Button>
      {release.dialog}
    </>
  );
}

interface Words {
  readonly what: string;
  /** What would bring it to the end it was meant to have, and what would undo it; null: it is so already. */
  readonly end: "lock" | "open" | "release" | null;
  readonly undo: "lock" | "open" | null;
}

/** What was going on, how far it was, and where everything is now. */
function wordsFor({ verb, files, filesTotal, now }: InterruptionView): Words {
  const far = filesTotal > 0 ? say("at-files", { files, filesTotal }) : "";
  const partly = say("part-it-is-locked-and");
  switch (verb) {
    case "lock":
    case "put-back":
      if (now === "locked")
        return {
          what: say("locking-it-was-cut-off", { far }),
          end: null,
          undo: "open",
        };
      if (now === "partly")
        return { what: say("locking-it-was-cut-off-2", { far, partly }), end: "lock", undo: "open" };
      return {
        what: say("locking-it-was-cut-off-your", { far }),
        end: "lock",
        undo: null,
      };
    case "unlock":
      if (now === "locked")
        return {
          what: say("opening-it-was-cut-off", { far }),
          end: "open",
          undo: null,
        };
      if (now === "partly")
        return { what: say("opening-it-was-cut-off-2", { far, partly }), end: "open", undo: "lock" };
      return {
        what: say("opening-it-was-cut-off-when", { far }),
        end: null,
        undo: "lock",
      };
    case "release":
      if (now === "locked")
        return {
          what: say("releasing-it-was-cut-off", { far }),
          end: "release",
          undo: null,
        };
      if (now === "partly")
        return { what: say("releasing-it-was-cut-off-2", { far, partly }), end: "release", undo: "lock" };
      return {
        what: say("releasing-it-was-cut-off-when", { far, now }),
        end: null,
        undo: "lock",
      };
    case "reguard":
      return {
        what: say("changing-its-guard-was-cut", { now }),
        end: now === "locked" ? null : "lock",
        undo: null,
      };
    case "check":
    case "insure":
    case "repair":
    case "merge":
      return {
        what: say("work-on-its-encrypted-copy"),
        end: null,
        undo: null,
      };
  }
}
