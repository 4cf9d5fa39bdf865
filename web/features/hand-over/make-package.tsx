"use client";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { RefreshCw } from "lucide-react";
import { type ReactNode, useDeferredValue, useEffect, useState } from "react";
import type { FolderSecret, GoesInView, PackageForm } from "@eremos/server/contract";
import { JobProgress } from "@/parts/folders/job-progress";
import { PathField } from "@/parts/folders/path-field";
import { useSelection } from "@/parts/folders/selection";
import { Strength } from "@/parts/secrets/new-password";
import { makeWords, useStrength } from "@/parts/secrets/use-strength";
import { ApiError, api } from "@/lib/api";
import { formatBytes } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { KEYS, isRunning, useJobs } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Choices } from "@/ui/choice";
import { Field, PasswordField } from "@/ui/field";
import { Tick } from "@/ui/tick";
import { useSettled } from "./settled";
import { say } from "@eremos/words/page/hand-over";

/** A package that was made: of what, by which work, and its password, which is kept nowhere else. */
export interface Making {
  readonly job: string;
  readonly password: string;
}

const ENDINGS = { page: ".html", zip: ".zip", folder: "" } as const;

/** The form: what goes in, in which form, under which password, where to. */
export function MakePackage({ onMade }: { readonly onMade: (made: Making) => void }): ReactNode {
  const { handing } = useSelection();
  const [path, setPath] = useState(handing ?? "");
  const [secret, setSecret] = useState<FolderSecret | null>(null);
  const [form, setForm] = useState<PackageForm>("page");
  const [hidesNames, setHidesNames] = useState(false);
  const [at, setAt] = useState<string | null>(null);
  const [to, setTo] = useState("");
  const [note, setNote] = useState("");
  const plan = useGoesIn(path, secret);
  const { password, fields, isFit } = usePackagePassword(form);
  const where = at ?? (plan.goesIn ? `${plan.goesIn.suggested}${ENDINGS[form]}` : "");
  const { begin, job } = useMaking(onMade);
  return (
    <section aria-labelledby="make" className="rounded-2xl border border-line bg-paper p-5">
      <h2 id="make" className="text-lg">
        {say("make-a-package")}
      </h2>
      <form
        className="mt-4 space-y-5"
        onSubmit={(event) => {
          event.preventDefault();
          begin.run({ path, secret, form, hidesNames, password, at: where, to, note });
        }}
      >
        <div>
          <PathField
            label={say("what-goes-in")}
            wants="any"
            path={path}
            onPath={(typed) => {
              setPath(typed);
              setSecret(null);
            }}
            note={say("what-goes-in-note")}
            problem={plan.needsPassword ? null : plan.problem}
          />
          {plan.needsPassword && (
            <OwnPassword problem={plan.problem} onUse={(password) => setSecret({ kind: "password", password })} />
          )}
          <GoesIn plan={plan} />
        </div>
        <FormChoice form={form} onForm={setForm} />
        {form === "zip" && <Tick label={say("hide-names")} value={hidesNames} onChange={setHidesNames} />}
        {fields}
        <PathField label={say("where-it-goes")} wants="any" path={where} onPath={setAt} />
        <div className="grid gap-4 sm:grid-cols-2">
          <Field label={say("for-whom")} maxLength={200} value={to} onChange={(event) => setTo(event.target.value)} />
          <Field
            label={say("note-to-yourself")}
            maxLength={2000}
            value={note}
            onChange={(event) => setNote(event.target.value)}
          />
        </div>
        {job ? <JobProgress job={job} /> : <p className="text-[13px] text-mute">{say("can-not-be-called-back")}</p>}
        {begin.problem && (
          <p className="text-sm text-oxblood" role="alert">
            {begin.problem}
          </p>
        )}
        <Button
          tone="dusk"
          type="submit"
          disabled={!plan.goesIn || where === "" || !isFit || begin.isBlocked || job !== null}
        >
          {begin.label(say("make-it"))}
        </Button>
      </form>
    </section>
  );
}

interface Plan {
  readonly goesIn: GoesInView | null;
  readonly isLooking: boolean;
  readonly needsPassword: boolean;
  readonly problem: string | null;
}

/** What would go in, once its path has been typed. */
function useGoesIn(path: string, secret: FolderSecret | null): Plan {
  const settled = useSettled(path.trim());
  const { data, error, isFetching } = useQuery({
    queryKey: KEYS.goesIn(settled, secret),
    queryFn: () => api.planHandOver(settled, secret),
    enabled: settled !== "",
    retry: false,
    gcTime: 0,
  });
  const code = error instanceof ApiError ? error.code : null;
  return {
    goesIn: settled === path.trim() ? (data ?? null) : null,
    isLooking: isFetching,
    needsPassword: code === "needs-folder-password" || (secret !== null && error !== null),
    problem: error && code !== "needs-folder-password" ? error.message : null,
  };
}

/** Of a folder that has one: tried when it is whole, since every try counts. */
function OwnPassword({
  problem,
  onUse,
}: {
  readonly problem: string | null;
  readonly onUse: (password: string) => void;
}): ReactNode {
  const [typed, setTyped] = useState("");
  return (
    <div className="mt-3 flex items-start gap-2">
      <PasswordField
        className="min-w-0 flex-1"
        label={say("its-own-password")}
        value={typed}
        autoComplete="off"
        onChange={(event) => setTyped(event.target.value)}
        problem={problem}
      />
      <Button className="mt-[26px] h-11 shrink-0" disabled={typed === ""} onClick={() => onUse(typed)}>
        {say("look-into-it")}
      </Button>
    </div>
  );
}

function GoesIn({ plan: { goesIn, isLooking } }: { readonly plan: Plan }): ReactNode {
  const [first] = goesIn?.left ?? [];
  return (
    <div className="mt-2 min-h-5 text-sm" aria-live="polite">
      {!goesIn && isLooking && <p className="text-mute">{say("looking-at-it")}</p>}
      {goesIn && (
        <p className="font-medium">
          {say("goes-in", { files: goesIn.files, size: formatBytes(goesIn.bytes), lies: goesIn.lies })}
        </p>
      )}
      {goesIn && first && (
        <p className="mt-0.5 break-words text-mute">
          {say("stays-out", {
            count: goesIn.leftCount,
            path: first.path,
            reason: first.reason,
            more: goesIn.leftCount - 1,
          })}
        </p>
      )}
    </div>
  );
}

function FormChoice({
  form,
  onForm,
}: {
  readonly form: PackageForm;
  readonly onForm: (form: PackageForm) => void;
}): ReactNode {
  return (
    <div>
      <p className="mb-1.5 text-sm font-semibold">{say("which-form")}</p>
      <Choices<PackageForm>
        label={say("which-form")}
        columns="three"
        value={form}
        onChoose={onForm}
        choices={[
          { value: "page", title: say("page"), text: say("page-text") },
          { value: "zip", title: say("zip"), text: say("zip-text") },
          { value: "folder", title: say("folder"), text: say("folder-text") },
        ]}
      />
    </div>
  );
}

/** Words by chance to begin with, or the owner's own; shown, since somebody has to be told. */
function usePackagePassword(form: PackageForm): {
  readonly password: string;
  readonly fields: ReactNode;
  readonly isFit: boolean;
} {
  const [password, setPassword] = useState("");
  const [words, setWords] = useState(0);
  const strength = useStrength(useDeferredValue(password), form);
  useEffect(() => {
    let isCurrent = true;
    void makeWords().then((made) => isCurrent && setPassword(made));
    return () => {
      isCurrent = false;
    };
  }, [words]);
  const fields = (
    <div>
      <div className="flex items-end gap-2">
        <Field
          className="min-w-0 flex-1"
          label={say("its-password")}
          autoComplete="off"
          spellCheck={false}
          value={password}
          onChange={(event) => setPassword(event.target.value)}
        />
        <Button className="h-11 shrink-0" onClick={() => setWords((n) => n + 1)}>
          <RefreshCw className="size-4" aria-hidden />
          {say("other-words")}
        </Button>
      </div>
      {password !== "" && strength && <Strength strength={strength} />}
      <p className="mt-1 text-[13px] text-mute">{say("password-note")}</p>
    </div>
  );
  return { password, fields, isFit: password !== "" && strength?.refusal === null };
}

type Begin = ReturnType<typeof useGuarded<Parameters<typeof api.handOver>[0], { readonly job: string }>>;

/** Begins the work, and hands on what was made when it has ended well; the page tells everything else. */
function useMaking(onMade: (made: Making) => void): {
  readonly begin: Begin;
  readonly job: ReturnType<typeof useJobs>[number] | null;
} {
  const client = useQueryClient();
  const [begun, setBegun] = useState<Making | null>(null);
  const begin = useGuarded(
    async (asked: Parameters<typeof api.handOver>[0]) => ({ ...(await api.handOver(asked)), password: asked.password }),
    setBegun,
  );
  const job = useJobs().find(({ id }) => id === begun?.job);
  const state = job?.state;
  useEffect(() => {
    if (state === "done" && begun) {
      void client.invalidateQueries({ queryKey: KEYS.handedOver });
      onMade(begun);
    }
  }, [state, begun, client, onMade]);
  return { begin, job: job && isRunning(job) ? job : null };
}
