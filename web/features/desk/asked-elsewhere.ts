"use client";
import { useRouter } from "next/navigation";
import { useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import { ONE_AT_A_TIME } from "@eremos/server/calls";
import type { AskedFor, FolderView } from "@eremos/server/contract";
import { type Act, actsOf } from "@/parts/folders/acts";
import { useActs } from "@/parts/folders/acts-provider";
import { useSelection } from "@/parts/folders/selection";
import { api } from "@/lib/api";
import { baseName } from "@/lib/format";
import { showError, useFolders } from "@/lib/queries";
import { say } from "@eremos/words/page/desk";

/** What was chosen in the file manager, and what for: an address by itself asks for nothing. */
export function AskedElsewhere(): null {
  const router = useRouter();
  const folders = useFolders();
  const begin = useBeginning();
  const [asked, setAsked] = useState<AskedFor | null>(null);
  const begun = useRef<AskedFor | null>(null);
  useEffect(() => {
    if (!new URLSearchParams(window.location.search).has("asked")) return;
    router.replace("/");
    api
      .asked()
      .then((now) => now && setAsked(now))
      .catch(showError);
  }, [router]);
  useEffect(() => {
    // Once: what comes of it changes the list.
    if (!asked || !folders || begun.current === asked) return;
    begun.current = asked;
    begin(asked, folders);
  }, [asked, folders, begin]);
  return null;
}

function useBeginning(): (asked: AskedFor, folders: readonly FolderView[]) => void {
  const { protect, moveInto, handOver, overwrite } = useSelection();
  const router = useRouter();
  const { run } = useActs();
  const withFolders = (act: Act, paths: readonly string[], folders: readonly FolderView[]): void => {
    const fitting: FolderView[] = [];
    for (const path of paths) {
      const folder = folders.find((one) => one.path === path || one.realPath === path);
      if (!folder) toast.error(say("is-not-protected-by-you", { name: baseName(path) }));
      else if (!actsOf(folder).includes(act)) toast.error(say("can-not-be-done-now", { name: folder.name }));
      else fitting.push(folder);
    }
    if (fitting.length > 0) run(act, fitting);
  };
  return ({ act, paths }, folders) => {
    const [first = ""] = paths;
    if (ONE_AT_A_TIME.includes(act) && paths.length > 1) return void toast.error(say("one-at-a-time"));
    switch (act) {
      case "lock-own":
        return protect(first, true);
      case "put-in":
        return moveInto({ folder: "", paths, originals: "stay" });
      case "move-in":
        return moveInto({ folder: "", paths });
      case "hand-over":
        handOver({ path: first, hrefs: null });
        return router.push("/hand-over");
      case "overwrite":
        return overwrite({ paths, isFree: false });
      default:
        return withFolders(act, paths, folders);
    }
  };
}
