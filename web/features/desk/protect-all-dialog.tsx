"use client";
import { useQueries } from "@tanstack/react-query";
import { X } from "lucide-react";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { PlanView, Protection } from "@eremos/server/contract";
import { ProtectionPicker } from "@/parts/folders/protection-choice";
import { AGAINST } from "@/parts/folders/protections";
import { useSelection } from "@/parts/folders/selection";
import { Button } from "@/ui/button";
import { Dialog, DialogEnd } from "@/ui/dialog";
import { ApiError, api } from "@/lib/api";
import { baseName, formatBytes } from "@/lib/format";
import { useVerb } from "@/lib/queries";
import { say } from "@eremos/words/page/desk";

/** Several folders and files, protected alike by one click. */
export function ProtectAllDialog(): ReactNode {
  const { protectingAll, protectAll } = useSelection();
  return (
    <Dialog
      open={protectingAll !== null}
      onOpenChange={(open) => !open && protectAll(null)}
      title={say("protect-several")}
      description={say("one-choice-for-all")}
    >
      {protectingAll && <ProtectAllForm key={protectingAll.join("/")} start={protectingAll} />}
    </Dialog>
  );
}

/** What keeps one of them from being locked with the others, settled before any is; null: nothing. */
function whyNot(path: string, paths: readonly string[], plan: PlanView | undefined): string | null {
  const around = paths.find((other) => path.startsWith(`${other}/`));
  if (around !== undefined) return say("goes-along-with", { name: baseName(around) });
  if (plan?.refusal) return plan.refusal.message;
  return plan && plan.holders.length > 0 ? say("is-in-use", { holders: plan.holders.join(", ") }) : null;
}

function ProtectAllForm({ start }: { readonly start: readonly string[] }): ReactNode {
  const { protectAll, select } = useSelection();
  const [paths, setPaths] = useState<readonly string[]>([...new Set(start)]);
  const [protection, setProtection] = useState<Protection>(AGAINST.anybody.protection);
  const plans = useQueries({
    queries: paths.map((path) => ({
      queryKey: ["plan", path, protection.guard, protection.visibility],
      queryFn: () => api.plan(path, { ...protection, cover: null }),
      retry: false,
      gcTime: 0,
      staleTime: 0,
    })),
  });
  const lines = paths.map((path, i) => ({ path, plan: plans[i]?.data, why: whyNot(path, paths, plans[i]?.data) }));
  const ready = lines.filter(({ plan, why }) => plan && why === null);
  const lock = useVerb(async () => {
    for (const { path } of ready) await lockOne(path, protection);
  });
  return (
    <form
      className="mt-5 space-y-5"
      onSubmit={(event) => {
        event.preventDefault();
        lock.run();
        select(ready[0]?.path ?? null);
        protectAll(null);
      }}
    >
      <Chosen lines={lines} onLeaveOut={(path) => setPaths(paths.filter((one) => one !== path))} />
      <ProtectionPicker value={protection} onChoose={setProtection} />
      <DialogEnd>
        <Button onClick={() => protectAll(null)}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={ready.length === 0 || plans.some(({ isPending }) => isPending)}>
          {say("lock-so-many", { count: ready.length })}
        </Button>
      </DialogEnd>
    </form>
  );
}

/** One that fails does not stop the others: it is told by itself. */
async function lockOne(path: string, protection: Protection): Promise<void> {
  try {
    await api.lock(path, { ...protection, cover: null });
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    toast.error(`${baseName(path)}: ${error.message}`, { duration: 12_000 });
  }
}

interface ChosenProps {
  readonly lines: readonly {
    readonly path: string;
    readonly plan: PlanView | undefined;
    readonly why: string | null;
  }[];
  readonly onLeaveOut: (path: string) => void;
}

function Chosen({ lines, onLeaveOut }: ChosenProps): ReactNode {
  return (
    <ul
      aria-label={say("chosen")}
      className="max-h-56 divide-y divide-line/70 overflow-y-auto rounded-xl border border-line bg-sheet"
    >
      {lines.map(({ path, plan, why }) => (
        <li key={path} className="flex items-start gap-3 px-4 py-2.5 text-sm">
          <div className="min-w-0 flex-1">
            <p className="truncate font-medium" title={path}>
              {baseName(path)}
            </p>
            <p className={why === null ? "text-[13px] text-mute" : "text-[13px] text-ochre"}>
              {why ?? (plan ? say("so-much", { files: plan.files, bytes: formatBytes(plan.bytes) }) : say("looking"))}
            </p>
          </div>
          <Button
            size="small"
            aria-label={say("leave-out", { name: baseName(path) })}
            title={say("leave-it-out")}
            onClick={() => onLeaveOut(path)}
          >
            <X className="size-4" aria-hidden />
          </Button>
        </li>
      ))}
    </ul>
  );
}
