"use client";
import { DoorClosed, LogOut } from "lucide-react";
import Link from "next/link";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import { CommandField } from "./command-field";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { api } from "@/lib/api";
import { showError, useFolders, useVerb } from "@/lib/queries";
import { say } from "@eremos/words/page/shell";

interface TopBarProps {
  readonly failedTries: number;
  readonly onFailuresSeen: () => void;
  readonly onSignedOut: () => void;
}

export function TopBar({ failedTries, onFailuresSeen, onSignedOut }: TopBarProps): ReactNode {
  const open = (useFolders() ?? []).filter((folder) => folder.state === "open");
  const closeUp = useVerb(async () => {
    const { left } = await api.closeUp();
    for (const { reason } of left) toast.error(reason, { duration: 12_000 });
  });
  const asking = open.filter((folder) => folder.atSignOut === "ask");
  const [leaving, setLeaving] = useState(false);
  const signOut = (leaveOpen = false): void => {
    api.signOut(leaveOpen).then(onSignedOut, showError);
  };
  return (
    <header className="flex min-w-0 items-center gap-2 border-b border-line bg-sheet px-4 sm:gap-4">
      <Link href="/" className="font-display text-xl font-bold tracking-tight">
        {say("eremos")}
      </Link>
      <CommandField
        onCloseUp={() => closeUp.run()}
        onSignOut={() => (asking.length > 0 ? setLeaving(true) : signOut())}
      />
      <div className="ml-auto flex shrink-0 items-center gap-2 sm:gap-3">
        {failedTries > 0 && (
          <button
            type="button"
            onClick={onFailuresSeen}
            className="rounded-lg bg-ochre-soft px-3 py-1.5 text-[13px] font-medium text-ochre"
            title={say("seen-take-this-note-away")}
          >
            {say("wrong-passwords-since-you-were", { failedTries })}
          </button>
        )}
        <span className="hidden text-sm font-semibold text-clay md:inline" role="status">
          {open.length > 0 ? say("folders-open", { open: open.length }) : ""}
        </span>
        <Button
          tone={open.length > 0 ? "clay" : "plain"}
          disabled={open.length === 0 || closeUp.pending}
          onClick={() => closeUp.run()}
          title={say("lock-every-open-folder-now")}
        >
          <DoorClosed className="size-4" aria-hidden />
          <span className="max-sm:sr-only">{say("close-up")}</span>
        </Button>
        <Button onClick={() => (asking.length > 0 ? setLeaving(true) : signOut())}>
          <LogOut className="size-4" aria-hidden />
          <span className="max-sm:sr-only">{say("sign-out")}</span>
        </Button>
      </div>
      <Dialog
        open={leaving}
        onOpenChange={setLeaving}
        title={say("lock-them-on-way-out")}
        description={say("you-wanted-decide-when-leaving", {
          asking: asking.length,
          name: asking[0]?.name ?? say("folder"),
          names: asking.map(({ name }) => name).join(", "),
        })}
      >
        <div className="mt-6 flex flex-wrap justify-end gap-2">
          <Button onClick={() => setLeaving(false)}>{say("stay-signed-in")}</Button>
          <Button onClick={() => signOut(true)}>{say("leave-open-and-sign-out")}</Button>
          <Button tone="clay" onClick={() => signOut()}>
            {say("lock-and-sign-out")}
          </Button>
        </div>
      </Dialog>
    </header>
  );
}
