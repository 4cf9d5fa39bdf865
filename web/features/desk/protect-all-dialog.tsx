"use client";
import { useQueries } from "@tanstack/react-query";
import { X } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { PlanView, Protection } from "@eremos/server/contract";
import { ProtectionPicker } from "@/parts/folders/protection-choice";
import { useBatch } from "@/parts/folders/batch";
import { protectionWords } from "@/parts/folders/protections";
import { useProtection } from "@/parts/folders/usual";
import { useSelection } from "@/parts/folders/selection";
import { Button } from "@/ui/button";
import { Dialog, DialogEnd } from "@/ui/dialog";
import { api } from "@/lib/api";
import { baseName, formatBytes } from "@/lib/format";
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
  const [protection, setProtection] = useProtection();
  const [own, setOwn] = useState<ReadonlyMap<string, Protection>>(new Map());
  const [choosing, setChoosing] = useState<string | null>(null);
  const plans = useQueries({
    queries: paths
      .map((path) => [path, own.get(path) ?? protection] as const)
      .map(([path, chosen]) => ({
        queryKey: ["plan", path, chosen.guard, chosen.visibility],
        queryFn: () => api.plan(path, { ...chosen, cover: null }),
        retry: false,
        gcTime: 0,
        staleTime: 0,
      })),
  });
  const lines = paths.map((path, i) => ({
    path,
    own: own.get(path) ?? null,
    plan: plans[i]?.data,
    why: whyNot(path, paths, plans[i]?.data),
  }));
  const ready = lines.filter(({ plan, why }) => plan && why === null);
  const batch = useBatch();
  return (
    <form
      className="mt-5 space-y-5"
      onSubmit={(event) => {
        event.preventDefault();
        batch.start(
          "lock",
          ready.map(({ path }) => ({
            name: baseName(path),
            begin: () => api.lock(path, { ...(own.get(path) ?? protection), cover: null }),
          })),
        );
        select(ready[0]?.path ?? null);
        protectAll(null);
      }}
    >
      <Chosen
        lines={lines}
        onLeaveOut={(path) => setPaths(paths.filter((one) => one !== path))}
        onChooseOwn={(path) => setChoosing(choosing === path ? null : path)}
      />
      {choosing === null ? (
        <ProtectionPicker value={protection} onChoose={setProtection} />
      ) : (
        <OfOneAlone
          path={choosing}
          value={own.get(choosing) ?? protection}
          onChoose={(chosen) => setOwn(new Map([...own, [choosing, chosen]]))}
          onAsOthers={() => {
            setOwn(new Map([...own].filter(([path]) => path !== choosing)));
            setChoosing(null);
          }}
          onDone={() => setChoosing(null)}
        />
      )}
      <DialogEnd>
        <Button onClick={() => protectAll(null)}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={ready.length === 0 || plans.some(({ isPending }) => isPending)}>
          {say("lock-so-many", { count: ready.length })}
        </Button>
      </DialogEnd>
    </form>
  );
}

interface OfOneAloneProps {
  readonly path: string;
  readonly value: Protection;
  readonly onChoose: (protection: Protection) => void;
  readonly onAsOthers: () => void;
  readonly onDone: () => void;
}

/** Another choice for one of them. */
function OfOneAlone({ path, value, onChoose, onAsOthers, onDone }: OfOneAloneProps): ReactNode {
  return (
    <fieldset className="space-y-4 rounded-xl border border-dusk px-4 pt-2 pb-4">
      <legend className="px-1 text-sm font-semibold">{say("for-this-one-alone", { name: baseName(path) })}</legend>
      <ProtectionPicker value={value} onChoose={onChoose} />
      <div className="flex flex-wrap gap-2">
        <Button size="small" onClick={onAsOthers}>
          {say("as-the-others")}
        </Button>
        <Button size="small" tone="dusk" onClick={onDone}>
          {say("back-to-all")}
        </Button>
      </div>
    </fieldset>
  );
}

interface ChosenProps {
  readonly lines: readonly {
    readonly path: string;
    readonly plan: PlanView | undefined;
    readonly why: string | null;
    /** What was chosen for it alone. */
    readonly own: Protection | null;
  }[];
  readonly onLeaveOut: (path: string) => void;
  readonly onChooseOwn: (path: string) => void;
}

function Chosen({ lines, onLeaveOut, onChooseOwn }: ChosenProps): ReactNode {
  return (
    <ul
      aria-label={say("chosen")}
      className="max-h-56 divide-y divide-line/70 overflow-y-auto rounded-xl border border-line bg-sheet"
    >
      {lines.map(({ path, plan, why, own }) => (
        <li key={path} className="flex items-start gap-3 px-4 py-2.5 text-sm">
          <div className="min-w-0 flex-1">
            <p className="truncate font-medium" title={path}>
              {baseName(path)}
            </p>
            <p className={why === null ? "text-[13px] text-mute" : "text-[13px] text-ochre"}>
              {why ?? (plan ? say("so-much", { files: plan.files, bytes: formatBytes(plan.bytes) }) : say("looking"))}
            </p>
            {own && <p className="text-[13px] text-dusk">{protectionWords(own)}</p>}
          </div>
          <Button
            size="small"
            aria-label={say("another-choice-for", { name: baseName(path) })}
            onClick={() => onChooseOwn(path)}
          >
            {say("another-choice")}
          </Button>
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
