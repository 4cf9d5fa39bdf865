"use client";
import { isEncrypting } from "@eremos/core/guards";
import { ChevronDown } from "lucide-react";
import Link from "next/link";
import type { ReactNode } from "react";
import type { FolderView, OpeningMode } from "@eremos/server/contract";
import { ACT_WORDS } from "./acts";
import { useActs } from "./acts-provider";
import { Button, buttonClasses } from "@/ui/button";
import { Menu } from "@/ui/menu";
import { api } from "@/lib/api";
import { useVerb } from "@/lib/queries";
import { say } from "@eremos/words/page/folders";

interface MainActionProps {
  readonly folder: FolderView;
  readonly size?: "small" | "large";
}

/** The one action a folder's state calls for, with what else it could be a click away. */
export function MainAction({ folder, size = "small" }: MainActionProps): ReactNode {
  const { run, pending } = useActs();
  if (folder.state === "open") {
    return (
      <>
        <Button tone="clay" size={size} disabled={pending} onClick={() => run("lock", [folder])}>
          {ACT_WORDS.lock}
        </Button>
        {folder.waitingFor.length > 0 && (
          <Button size={size} disabled={pending} onClick={() => run("lock", [folder], { anyway: true })}>
            {say("lock-it-anyway")}
          </Button>
        )}
        {folder.locksAt !== null && <KeepOpen folder={folder} size={size} />}
      </>
    );
  }
  if (folder.state === "locked")
    return (
      <>
        {isEncrypting(folder) && <VisitAction folder={folder} size={size} />}
        <OpenInPlace folder={folder} size={size} />
      </>
    );
  if (folder.state === "missing")
    return (
      <Button tone="dusk" size={size} onClick={() => run("look-for", [folder])}>
        {ACT_WORDS["look-for"]}
      </Button>
    );
  if (folder.state !== "partly") return null;
  return (
    <>
      <Button tone="dusk" size={size} disabled={pending} onClick={() => run("lock-rest", [folder])}>
        {ACT_WORDS["lock-rest"]}
      </Button>
      <Button size={size} disabled={pending} onClick={() => run("open-rest", [folder])}>
        {ACT_WORDS["open-rest"]}
      </Button>
    </>
  );
}

function KeepOpen({ folder, size }: Required<MainActionProps>): ReactNode {
  const keep = useVerb((minutes: number) => api.keepOpen(folder.id, minutes));
  return (
    <Menu
      choices={[
        [say("for-15-more-minutes"), 15],
        [say("for-another-hour"), 60],
        [say("for-rest-day"), 8 * 60],
      ].map(([label, minutes]) => ({ label: String(label), onChoose: () => keep.run(Number(minutes)) }))}
    >
      <Button size={size} disabled={keep.pending}>
        {say("keep-open")}
        <ChevronDown className="size-4" aria-hidden />
      </Button>
    </Menu>
  );
}

/** Looking into it is instant, whatever its size, and leaves nothing readable behind. */
function VisitAction({ folder, size }: Required<MainActionProps>): ReactNode {
  const { run, pending } = useActs();
  if (folder.visit) {
    return (
      <>
        <Link href={`/folders/${folder.id}/contents`} className={buttonClasses({ tone: "dusk", size })}>
          {ACT_WORDS["back-to-visit"]}
        </Link>
        <Button size={size} disabled={pending} onClick={() => run("end-visit", [folder])}>
          {ACT_WORDS["end-visit"]}
        </Button>
      </>
    );
  }
  const visit = (minutes: number | null): void => run("visit", [folder], { minutes });
  return (
    <span className="inline-flex">
      <Button tone="dusk" size={size} className="rounded-r-none" disabled={pending} onClick={() => visit(null)}>
        {ACT_WORDS.visit}
      </Button>
      <Menu
        choices={[
          { label: say("for-15-minutes"), note: say("then-it-ends-used-or"), onChoose: () => visit(15) },
          { label: say("for-hour"), onChoose: () => visit(60) },
        ]}
      >
        <Button
          tone="dusk"
          size={size}
          className="rounded-l-none border-l border-on-dusk/30 px-2"
          disabled={pending}
          aria-label={say("visit-for-while")}
        >
          <ChevronDown className="size-4" aria-hidden />
        </Button>
      </Menu>
    </span>
  );
}

function OpenInPlace({ folder, size }: Required<MainActionProps>): ReactNode {
  const { run, pending } = useActs();
  const open = (mode: OpeningMode): void => run("open", [folder], { mode });
  return (
    <span className="inline-flex">
      <Button size={size} className="rounded-r-none" disabled={pending} onClick={() => open({ kind: "usual" })}>
        {ACT_WORDS.open}
      </Button>
      <Menu
        choices={[
          {
            label: say("for-15-minutes"),
            note: say("then-it-locks-unless-program"),
            onChoose: () => open({ kind: "while", minutes: 15 }),
          },
          { label: say("for-hour"), onChoose: () => open({ kind: "while", minutes: 60 }) },
          {
            label: say("until-programs-let-go"),
            note: say("it-locks-when-last-program"),
            onChoose: () => open({ kind: "programs" }),
          },
          {
            label: say("ask-when-programs-let-go"),
            note: say("it-asks-when-last-program"),
            onChoose: () => open({ kind: "programs-ask" }),
          },
          { label: say("ask-me-when-i-sign"), onChoose: () => open({ kind: "leaving" }) },
          {
            label: say("until-i-lock-it"),
            note: say("it-stays-open-even-when"),
            onChoose: () => open({ kind: "until-locked" }),
          },
        ]}
      >
        <Button
          size={size}
          className="rounded-l-none border-l-0 px-2"
          disabled={pending}
          aria-label={say("open-in-another-way")}
        >
          <ChevronDown className="size-4" aria-hidden />
        </Button>
      </Menu>
    </span>
  );
}
