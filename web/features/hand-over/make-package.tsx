"use client";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { RefreshCw } from "lucide-react";
import { type ReactNode, useDeferredValue, useEffect, useState } from "react";
import { PACKAGE_ENDINGS } from "@eremos/server/calls";
import type { FolderSecret, GoesInView, PackageForm } from "@eremos/server/contract";
import { JobProgress } from "@/parts/folders/job-progress";
import type { Handing } from "@/parts/folders/selection";
import { PathField } from "@/parts/folders/path-field";
import { AskSecret } from "@/parts/secrets/ask-secret";
import { Strength } from "@/parts/secrets/new-password";
import { makeWords, useStrength } from "@/parts/secrets/use-strength";
import { ApiError, api } from "@/lib/api";
import { formatBytes } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { KEYS, isRunning, useFolders, useJobs } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Choices } from "@/ui/choice";
import { Field } from "@/ui/field";
import { Tick } from "@/ui/tick";
import { useSettled } from "./settled";
import { say } from "@eremos/words/page/hand-over";

/** A package that was made: of what, by which work, and its password, which is kept nowhere else. */
export interface Making {
  readonly job: string;
  readonly password: string;
}

/** The form: what goes in, in which form, under which password, where to. */
export function MakePackage({
  begins,
  onMade,
}: {
  /** What was chosen elsewhere; no path: nothing. */
  readonly begins: Handing;
  readonly onMade: (made: Making) => void;
}): ReactNode {
  const [path, setPath] = useState(begins.path);
  // What was chosen in a visit is chosen of that folder alone.
  const hrefs = path === begins.path ? begins.hrefs : null;
  const [form, setForm] = useState<PackageForm>("page");
  const [hidesNames, setHidesNames] = useState(false);
  const [at, setAt] = useState<string | null>(null);
  const [to, setTo] = useState("");
  const [note, setNote] = useState("");
  const plan = useGoesIn(path, hrefs);
  const { password, fields, isFit } = usePackagePassword(form);
  const where = at ?? (plan.goesIn ? `${plan.goesIn.suggested}${PACKAGE_ENDINGS[form]}` : "");
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
          begin.run({ path, hrefs, secret: plan.secret, form, hidesNames, password, at: where, to, note });
        }}
      >
        <div>
          <PathField
            label={say("what-goes-in")}
            wants="any"
            path={path}
            onPath={setPath}
            note={hrefs ? say("chosen-in-it", { entries: hrefs.length }) : say("what-goes-in-note")}
            problem={plan.problem}
          />
          {plan.asks}
          {path.trim() !== "" && <GoesIn plan={plan} />}
        </div>
        {path.trim() !== "" && (
          <>
            <FormChoice form={form} onForm={setForm} />
            {form === "zip" && <Tick label={say("hide-names")} value={hidesNames} onChange={setHidesNames} />}
            {fields}
            <PathField label={say("where-it-goes")} wants="any" path={where} onPath={setAt} />
            <ForWhom to={to} onTo={setTo} note={note} onNote={setNote} />
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
          </>
        )}
      </form>
      {plan.dialog}
    </section>
  );
}

interface ForWhomProps {
  readonly to: string;
  readonly onTo: (to: string) => void;
  readonly note: string;
  readonly onNote: (note: string) => void;
}

export function ForWhom({ to, onTo, note, onNote }: ForWhomProps): ReactNode {
  return (
    <div className="grid gap-4 sm:grid-cols-2">
      <Field label={say("for-whom")} maxLength={200} value={to} onChange={(event) => onTo(event.target.value)} />
      <Field
        label={say("note-to-yourself")}
        maxLength={2000}
        value={note}
        onChange={(event) => onNote(event.target.value)}
      />
    </div>
  );
}

interface Plan {
  readonly goesIn: GoesInView | null;
  readonly isLooking: boolean;
  /** By which it was looked into, of a folder that has a password of its own. */
  readonly secret: FolderSecret | null;
  readonly problem: string | null;
  /** What leads to the question for that password, as far as it is needed, and the question: a form of its own. */
  readonly asks: ReactNode;
  readonly dialog: ReactNode;
}

/** What would go in, once its path has been typed. */
function useGoesIn(path: string, hrefs: readonly string[] | null): Plan {
  const settled = useSettled(path.trim());
  const folder = useFolders()?.find((one) => one.path === settled || one.realPath === settled);
  const [opened, setOpened] = useState<{ readonly secret: FolderSecret; readonly goesIn: GoesInView } | null>(null);
  const [isAsking, setAsking] = useState(false);
  const { data, error, isFetching } = useQuery({
    queryKey: KEYS.goesIn(settled, hrefs),
    queryFn: () => api.planHandOver(settled, hrefs, null),
    enabled: settled !== "",
    retry: false,
    gcTime: 0,
  });
  const isOpened = opened?.goesIn.path === folder?.path ? opened : null;
  const needsPassword = error instanceof ApiError && error.code === "needs-folder-password" && !isOpened;
  const goesIn = isOpened?.goesIn ?? data ?? null;
  return {
    goesIn: settled === path.trim() ? goesIn : null,
    isLooking: isFetching,
    secret: isOpened?.secret ?? null,
    problem: error && !isOpened && !(needsPassword && folder) ? error.message : null,
    asks: needsPassword && folder && (
      <Button className="mt-2" onClick={() => setAsking(true)}>
        {say("its-own-password")}
      </Button>
    ),
    dialog: isAsking && folder && (
      <AskSecret
        folder={folder}
        action={say("look-into-it")}
        verb={async (secret) => setOpened({ secret, goesIn: await api.planHandOver(settled, hrefs, secret) })}
        onDone={() => setAsking(false)}
      />
    ),
  };
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
      {password !== "" && strength && <Strength strength={strength} of="package" />}
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
