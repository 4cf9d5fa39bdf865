"use client";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { toast } from "sonner";
import { useActs } from "./acts-provider";
import { api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { say } from "@eremos/words/page/folders";

/** Asks about folders that were opened to be asked about, once the last program has let go of one. */
export function LetGoNotice(): null {
  const { run } = useActs();
  const folders = useQuery({ queryKey: KEYS.folders, queryFn: api.folders });
  const asked = useRef(new Set<string>());
  useEffect(() => {
    for (const folder of folders.data ?? []) {
      const id = `let-go-${folder.id}`;
      if (folder.isLetGo === asked.current.has(id)) continue;
      if (folder.isLetGo) {
        asked.current.add(id);
        toast(say("no-program-uses", { name: folder.name }), {
          id,
          duration: Infinity,
          action: { label: say("lock-it-now"), onClick: () => run("lock", [folder]) },
          cancel: { label: say("let-it-stay-open"), onClick: () => undefined },
        });
      } else {
        asked.current.delete(id);
        toast.dismiss(id);
      }
    }
  }, [folders.data, run]);
  return null;
}
