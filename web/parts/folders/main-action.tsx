"use client";
import { isEncrypting } from "@eremos/core/guards";
import { ChevronDown } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import type { ReactNode } from "react";
import type { FolderView, OpeningMode } from "@eremos/server/contract";
import { useWithSecret } from "@/parts/secrets/ask-secret";
import { withConsent } from "./consent";
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
  const lock = useVerb((anyway: boolean) => api.lock(folder.path, null, anyway));
  const unlock = useWithSecret(folder, say("open-in-place"), (secret, mode: OpeningMode) =>
    api.unlock(folder.id, mode, secret),
  );
  if (folder.state === "open") {
    return (
      <>
        <Button tone="clay" size={size} disabled={lock.pending} onClick={() => lock.run(false)}>
          {say("lock-now")}
        </Button>
        {folder.waitingFor.length > 0 && (
          <Button size={size} disabled={lock.pending} onClick={() => lock.run(true)}>
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
        <OpenInPlace size={size} pending={unlock.pending} onOpen={unlock.run} />
        {unlock.dialog}
      </>
    );
  if (folder.state !== "partly") return null;
  return (
    <>
      <Button tone="dusk" size={size} disabled={lock.pending} onClick={() => lock.run(false)}>
        {say("lock-rest")}
      </Button>
      <Button size={size} disabled={unlock.pending} onClick={() => unlock.run({ kind: "usual" })}>
        {say("open-all-it")}
      </Button>
      {unlock.dialog}
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
  const router = useRouter();
  const contents = `/folders/${folder.id}/contents`;
  const start = useWithSecret(folder, say("visit"), async (secret, minutes: number | null) => {
    await withConsent(
      folder.id,
      async (accept, given) => {
        await api.startVisit(folder.id, minutes, given, accept);
        router.push(contents);
      },
      secret,
    );
  });
  const end = useVerb(() => api.endVisit(folder.id));
  if (folder.visit) {
    return (
      <>
        <Link href={contents} className={buttonClasses({ tone: "dusk", size })}>
          {say("back-visit")}
        </Link>
        <Button size={size} disabled={end.pending} onClick={() => end.run()}>
          {say("end-visit")}
        </Button>
      </>
    );
  }
  return (
    <>
      <span className="inline-flex">
        <Button
          tone="dusk"
          size={size}
          className="rounded-r-none"
          disabled={start.pending}
          onClick={() => start.run(null)}
        >
          {say("visit")}
        </Button>
        <Menu
          choices={[
            { label: say("for-15-minutes"), note: say("then-it-ends-used-or"), onChoose: () => start.run(15) },
            { label: say("for-hour"), onChoose: () => start.run(60) },
          ]}
        >
          <Button
            tone="dusk"
            size={size}
            className="rounded-l-none border-l border-on-dusk/30 px-2"
            disabled={start.pending}
            aria-label={say("visit-for-while")}
          >
            <ChevronDown className="size-4" aria-hidden />
          </Button>
        </Menu>
      </span>
      {start.dialog}
    </>
  );
}

interface OpenInPlaceProps {
  readonly size: "small" | "large";
  readonly pending: boolean;
  readonly onOpen: (mode: OpeningMode) => void;
}

function OpenInPlace({ size, pending, onOpen }: OpenInPlaceProps): ReactNode {
  return (
    <span className="inline-flex">
      <Button size={size} className="rounded-r-none" disabled={pending} onClick={() => onOpen({ kind: "usual" })}>
        {say("open-in-place")}
      </Button>
      <Menu
        choices={[
          {
            label: say("for-15-minutes"),
            note: say("then-it-locks-unless-program"),
            onChoose: () => onOpen({ kind: "while", minutes: 15 }),
          },
          { label: say("for-hour"), onChoose: () => onOpen({ kind: "while", minutes: 60 }) },
          { label: say("ask-me-when-i-sign"), onChoose: () => onOpen({ kind: "leaving" }) },
          {
            label: say("until-i-lock-it"),
            note: say("it-stays-open-even-when"),
            onChoose: () => onOpen({ kind: "until-locked" }),
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
