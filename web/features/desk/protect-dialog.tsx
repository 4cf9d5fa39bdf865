"use client";
import { isEncrypting } from "@eremos/core/guards";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { LockingRules, PlanView, Protection } from "@eremos/server/contract";
import { ProtectionPicker } from "@/parts/folders/protection-choice";
import { PathField } from "@/parts/folders/path-field";
import { useProtection } from "@/parts/folders/usual";
import { IN_THE_FOLDER, useNewPassword } from "@/parts/secrets/new-password";
import { Button } from "@/ui/button";
import { Dialog, DialogEnd } from "@/ui/dialog";
import { Tick } from "@/ui/tick";
import { type Protecting, useSelection } from "@/parts/folders/selection";
import { ApiError, api } from "@/lib/api";
import { baseName, formatBytes, parentOf } from "@/lib/format";
import { KEYS, useVerb } from "@/lib/queries";
import { MediumTruth } from "@/parts/overwriting/medium-truth";
import { say } from "@eremos/words/page/desk";
import { say as sayRemoving } from "@eremos/words/page/removing";

export function ProtectDialog(): ReactNode {
  const { protecting, protect } = useSelection();
  return (
    <Dialog
      open={protecting !== null}
      onOpenChange={(open) => !open && protect(null)}
      title={protecting?.path ? say("protect-2", { protecting: baseName(protecting.path) }) : say("protect-folder-2")}
      description={say("choose-whom-it-is-meant")}
    >
      {protecting !== null && <ProtectForm key={protecting.path} start={protecting} />}
    </Dialog>
  );
}

function ProtectForm({ start }: { readonly start: Protecting }): ReactNode {
  const { protect, select } = useSelection();
  const [path, setPath] = useState(start.path);
  const [protection, setProtection] = useProtection();
  const [anyway, setAnyway] = useState(false);
  const [hasOwn, setHasOwn] = useState(start.withOwnPassword);
  const own = useNewPassword({
    label: say("password-this-folder"),
    hintNote: IN_THE_FOLDER,
    autoFocus: start.withOwnPassword,
  });
  const over = useOverwriting();
  const lock = useVerb((...args: Parameters<typeof api.lock>) => api.lock(...args));
  const plan = useQuery({
    queryKey: ["plan", path, protection.guard, protection.visibility],
    queryFn: () => api.plan(path, protection),
    enabled: path.trim() !== "",
    retry: false,
    gcTime: 0,
    staleTime: 0,
    placeholderData: keepPreviousData,
  });
  const current = plan.data && path.trim() !== "" ? plan.data : null;
  const isOwn = hasOwn && isEncrypting(protection);
  const ready = current !== null && current.refusal === null && !plan.isFetching && (!isOwn || own.chosen.ready);
  return (
    <form
      className="mt-5 space-y-5"
      onSubmit={(event) => {
        event.preventDefault();
        if (!ready) return;
        lock.run(
          current.path,
          { ...protection, cover: protection.cover?.trim() || null },
          anyway,
          isOwn ? { password: own.chosen.password, hint: own.chosen.hint } : null,
          isEncrypting(protection) ? over.chosen : {},
        );
        select(current.path);
        protect(null);
      }}
    >
      <PathField
        label={say("folder-or-file")}
        wants="any"
        path={path}
        onPath={setPath}
        placeholder={say("type-or-paste-its-path")}
        autoFocus={path === ""}
      />
      <ProtectionPicker
        value={protection}
        isDrive={current?.kind === "drive"}
        isFull={start.withOwnPassword}
        onChoose={setProtection}
        whenFull={
          isEncrypting(protection) && (
            <>
              <OwnPassword chosen={hasOwn} onChosen={setHasOwn} fields={own.fields} />
              <Overwriting {...over} path={current?.path ?? null} />
            </>
          )
        }
      />
      {/* Room for two lines, so that nothing moves under the pointer when the answer comes. */}
      <div className="min-h-11">
        <Plan plan={current} problem={plan.error} empty={path.trim() === ""} protection={protection} />
      </div>
      {current && <Instead plan={current} />}
      {current && <InUse plan={current} anyway={anyway} onAnyway={setAnyway} />}
      <DialogEnd>
        <Button onClick={() => protect(null)}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={!ready || lock.pending}>
          {current?.refusal === null && current.name ? say("lock", { name: current.name }) : say("lock-it")}
        </Button>
      </DialogEnd>
    </form>
  );
}

/** What can be done where it can't be locked as it is. */
function Instead({ plan }: { readonly plan: PlanView }): ReactNode {
  const { protect, make } = useSelection();
  const makeRoom = useVerb(async (taken: string) => protect((await api.makeRoom(taken)).path));
  const { code, data } = plan.refusal ?? {};
  if (code === "path-taken" && data?.["what"] === "protected")
    return (
      <Button size="small" disabled={makeRoom.pending} onClick={() => makeRoom.run(plan.path)}>
        {say("give-it-another-name")}
      </Button>
    );
  if (code !== "not-found") return null;
  return (
    <Button
      size="small"
      onClick={() => {
        make(plan.path);
        protect(null);
      }}
    >
      {say("new-private-folder-there")}
    </Button>
  );
}

interface Overwritten {
  readonly isOn: boolean;
  readonly turn: (on: boolean) => void;
  /** Nothing where it is as for all folders. */
  readonly chosen: Partial<Pick<LockingRules, "overwrites">>;
}

/** Whether the readable copy is written over: as set for all folders, until it is chosen for this one. */
function useOverwriting(): Overwritten {
  const usual = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data?.preferences.rules.overwrites ?? 0;
  const [on, turn] = useState<boolean | null>(null);
  return {
    isOn: on ?? usual > 0,
    turn,
    chosen: on === null ? {} : { overwrites: on ? usual || 1 : 0 },
  };
}

function Overwriting({ isOn, turn, path }: Overwritten & { readonly path: string | null }): ReactNode {
  return (
    <div className="rounded-xl border border-line bg-sheet px-4 py-3 text-sm">
      <Tick
        label={<span className="font-semibold">{sayRemoving("overwrite-readable-copy")}</span>}
        value={isOn}
        onChange={turn}
      />
      {isOn && path !== null && (
        <div className="mt-3">
          <MediumTruth path={path} />
        </div>
      )}
    </div>
  );
}

interface OwnPasswordProps {
  readonly chosen: boolean;
  readonly onChosen: (chosen: boolean) => void;
  readonly fields: ReactNode;
}

function OwnPassword({ chosen, onChosen, fields }: OwnPasswordProps): ReactNode {
  return (
    <div className="rounded-xl border border-line bg-sheet px-4 py-3">
      <Tick
        value={chosen}
        onChange={onChosen}
        label={
          <>
            <span className="font-semibold">{say("password-its-own-as-well")}</span>
            <span className="block text-[13px] text-mute">{say("needed-on-top-master-password")}</span>
          </>
        }
      />
      {chosen && <div className="mt-4 space-y-4">{fields}</div>}
    </div>
  );
}

interface InUseProps {
  readonly plan: PlanView;
  readonly anyway: boolean;
  readonly onAnyway: (anyway: boolean) => void;
}

/** What programs do with it now, or what can't be known of that. */
function InUse({ plan, anyway, onAnyway }: InUseProps): ReactNode {
  return (
    <>
      {!plan.tellsWriters && <p className="text-[13px] text-mute">{say("disk-it-lies-on-does")}</p>}
      {plan.holders.length > 0 && (
        <label className="flex gap-2 rounded-lg bg-ochre-soft px-3 py-2 text-[13px] text-ochre">
          <input
            type="checkbox"
            checked={anyway}
            onChange={(event) => onAnyway(event.target.checked)}
            className="mt-0.5 accent-current"
          />
          <span>{say("has-files-this-folder-open", { holders: plan.holders.join(", ") })}</span>
        </label>
      )}
    </>
  );
}

function Plan({
  plan,
  problem,
  empty,
  protection,
}: {
  readonly plan: PlanView | null;
  readonly problem: Error | null;
  readonly empty: boolean;
  readonly protection: Protection;
}): ReactNode {
  if (empty) return <p className="text-sm text-mute">{say("or-choose-it-under-places")}</p>;
  if (problem)
    return (
      <p role="alert" className="rounded-lg bg-oxblood-soft px-3 py-2 text-sm text-oxblood">
        {problem instanceof ApiError ? problem.message : say("folder-could-not-be-looked")}
      </p>
    );
  if (!plan) return <p className="text-sm text-mute">{say("looking")}</p>;
  if (plan.refusal)
    return (
      <p role="alert" className="rounded-lg bg-oxblood-soft px-3 py-2 text-sm text-oxblood">
        {plan.refusal.message}
      </p>
    );
  const asFolder = plan.kind === "file" && protection.visibility === "view" ? say("while-it-is-locked-it") : "";
  if (!isEncrypting(protection))
    return (
      <p className="text-sm text-mute">
        {say("in-nothing-it-is-encrypted", { path: baseName(parentOf(plan.path)), asFolder })}
      </p>
    );
  return (
    <div className="text-sm text-mute">
      <p>
        {say("files-in-there-is-no", {
          files: plan.files,
          bytes: formatBytes(plan.bytes),
          path: baseName(parentOf(plan.path)),
          strategy: plan.strategy,
          asFolder,
        })}
      </p>
      {plan.foreign.length > 0 && (
        <p className="mt-1 text-ochre">
          {say("entries-in-it-belong-another", {
            foreign: plan.foreign.length,
            paths: plan.foreign.slice(0, 3).join(", "),
            hasForeign: plan.foreign.length > 3,
          })}
        </p>
      )}
      {plan.outsideLinks.length > 0 && (
        <p className="mt-1 text-ochre">{say("files-in-it-also-have", { outsideLinks: plan.outsideLinks.length })}</p>
      )}
    </div>
  );
}
