"use client";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { toast } from "sonner";
import type { KeptTraces as Kept, TracesBackView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { KEYS, showError, useFolders } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Time } from "@/ui/time";
import { say } from "@eremos/words/page/traces";

function told({ back, left }: TracesBackView): string {
  const [first] = left;
  return first ? say("is-partly-back", { back, left: left.length, reason: first.reason }) : say("is-back", { back });
}

/** What was cleared, of one folder or of all, and can be put back; nothing where there is none. */
export function KeptTraces({ of }: { readonly of: string | null }): ReactNode {
  const client = useQueryClient();
  const names = new Map((useFolders() ?? []).map(({ id, name }) => [id, name]));
  const kept = useQuery({ queryKey: KEYS.keptTraces, queryFn: api.keptTraces }).data;
  const back = useMutation({
    mutationFn: (one: Kept) => api.putTracesBack(one.id),
    onSuccess: (outcome) => toast(told(outcome), { duration: 9000 }),
    onError: showError,
    onSettled: () =>
      Promise.all([
        // What was found before is not what is there now.
        client.resetQueries({ queryKey: ["traces"] }),
        client.invalidateQueries({ queryKey: KEYS.keptTraces }),
      ]),
  });
  const shown = kept?.filter(({ folder }) => of === null || folder === of) ?? [];
  if (shown.length === 0) return of === null ? <p className="text-sm text-mute">{say("nothing-cleared")}</p> : null;
  return (
    <ul className="divide-y divide-line rounded-xl border border-line bg-sheet text-sm" aria-label={say("cleared")}>
      {shown.map((one) => (
        <li key={one.id} className="flex items-center justify-between gap-4 px-4 py-2">
          <span className="min-w-0">
            {of === null && (
              <bdi className="font-medium break-words">{names.get(one.folder) ?? say("of-another-folder")}: </bdi>
            )}
            {say("kept-line", { traces: one.traces, days: one.daysLeft })}
            <span className="block text-[13px] text-mute">
              <Time at={one.at} />
            </span>
          </span>
          <Button size="small" disabled={back.isPending} onClick={() => back.mutate(one)}>
            {say("put-back")}
          </Button>
        </li>
      ))}
    </ul>
  );
}
