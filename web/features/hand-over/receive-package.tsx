"use client";
import { type ReactNode, useState } from "react";
import { JobProgress } from "@/parts/folders/job-progress";
import { PathField } from "@/parts/folders/path-field";
import { useSelection } from "@/parts/folders/selection";
import { api } from "@/lib/api";
import { baseName, parentOf } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { isRunning, useJobs } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Choices } from "@/ui/choice";
import { PasswordField } from "@/ui/field";
import { say } from "@eremos/words/page/hand-over";

type Kept = "locked" | "readable";

/** What is in somebody's package, into a new folder. */
export function ReceivePackage(): ReactNode {
  const { receiving, receive } = useSelection();
  const path = receiving ?? "";
  const [password, setPassword] = useState("");
  const [at, setAt] = useState<string | null>(null);
  const [kept, setKept] = useState<Kept>("locked");
  const [begun, setBegun] = useState<string | null>(null);
  const job = useJobs().find(({ id }) => id === begun);
  const where = at ?? suggested(path);
  const begin = useGuarded(
    () => api.receive({ path, password, at: where, lock: kept === "locked" }),
    (started) => {
      setBegun(started.job);
      setPassword("");
    },
  );
  const running = job && isRunning(job) ? job : null;
  return (
    <section aria-labelledby="receive" className="mt-6 rounded-2xl border border-line bg-paper p-5">
      <h2 id="receive" className="text-lg">
        {say("receive-a-package")}
      </h2>
      <p className="mt-1 text-sm text-mute">{say("receive-is")}</p>
      <form
        className="mt-4 space-y-5"
        onSubmit={(event) => {
          event.preventDefault();
          begin.run(undefined);
        }}
      >
        <PathField label={say("the-package")} wants="any" path={path} onPath={receive} />
        {path !== "" && (
          <>
            <PasswordField
              label={say("password-of-it")}
              autoComplete="off"
              value={password}
              onChange={(event) => setPassword(event.target.value)}
            />
            <PathField label={say("where-it-is-to-be")} wants="folder" path={where} onPath={setAt} />
            <Choices<Kept>
              label={say("locked-or-readable")}
              columns="two"
              value={kept}
              onChoose={setKept}
              choices={[
                { value: "locked", title: say("keep-locked"), text: say("keep-locked-text") },
                { value: "readable", title: say("keep-readable"), text: say("keep-readable-text") },
              ]}
            />
            {running && <JobProgress job={running} />}
            <p className="min-h-5 text-sm" role="status">
              {begin.problem ? (
                <span className="text-oxblood">{begin.problem}</span>
              ) : (
                job && !isRunning(job) && <HowItEnded summary={job.summary} problem={job.error?.message ?? null} />
              )}
            </p>
            <Button tone="dusk" type="submit" disabled={where === "" || begin.isBlocked || running !== null}>
              {begin.label(say("receive-it"))}
            </Button>
          </>
        )}
      </form>
    </section>
  );
}

function HowItEnded({
  summary,
  problem,
}: {
  readonly summary: string | null;
  readonly problem: string | null;
}): ReactNode {
  return problem === null ? <span>{summary}</span> : <span className="text-oxblood">{problem}</span>;
}

/** Beside the package, called like it. */
function suggested(path: string): string {
  if (path.trim() === "") return "";
  const name = baseName(path).replace(/\.[^.]+$/, "");
  return `${parentOf(path)}/${name === baseName(path) ? `${name} (${say("received").toLowerCase()})` : name}`;
}
