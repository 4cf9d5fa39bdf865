"use client";
import { FolderOpen } from "lucide-react";
import { usePathname, useRouter, useSearchParams } from "next/navigation";
import { type ReactNode, useEffect, useRef } from "react";
import type { FolderView } from "@eremos/server/contract";
import { useActs } from "@/parts/folders/acts-provider";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/folder";

interface FromDesktopProps {
  readonly folder: FolderView;
  readonly isBusy: boolean;
}

/**
 * For whoever came from the locked item in the file manager: one click, and its contents show there. Only what was
 * opened from here is shown: an address by itself does nothing.
 */
export function FromDesktop({ folder, isBusy }: FromDesktopProps): ReactNode {
  const { run, pending } = useActs();
  const router = useRouter();
  const pathname = usePathname();
  const isFrom = useSearchParams().get("from") === "desktop";
  const isAsked = useRef(false);
  const isFile = folder.kind === "file";
  useEffect(() => {
    if (!isAsked.current || folder.state !== "open") return;
    isAsked.current = false;
    run(isFile ? "open-file" : "show", [folder]);
    router.replace(pathname);
  }, [folder, isFile, pathname, router, run]);
  if (!isFrom || folder.state !== "locked" || isBusy) return null;
  return (
    <section
      aria-label={say("from-file-manager")}
      className="mt-4 flex flex-wrap items-center gap-4 rounded-xl border border-dusk bg-sheet p-4"
    >
      <FolderOpen className="size-5 shrink-0 text-dusk" aria-hidden />
      <p className="min-w-48 flex-1 text-[15px]">{say("you-came-from-file-manager", { isFile })}</p>
      <Button
        tone="dusk"
        size="large"
        autoFocus
        disabled={pending}
        onClick={() => {
          isAsked.current = true;
          run("open", [folder], { mode: { kind: "usual" } });
        }}
      >
        {say("open-and-show", { isFile })}
      </Button>
    </section>
  );
}
