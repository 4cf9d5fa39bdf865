"use client";
import { isEncrypting } from "@eremos/core/guards";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { FolderView, Insurance, InsuranceView, JobView } from "@eremos/server/contract";
import { useWithSecret } from "@/parts/secrets/ask-secret";
import { api } from "@/lib/api";
import { formatBytes } from "@/lib/format";
import { KEYS, isRunning, useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Choices } from "@/ui/choice";
import { Dialog } from "@/ui/dialog";
import { Time } from "@/ui/time";
import { say } from "@eremos/words/page/folder";

interface HealthProps {
  readonly folder: FolderView;
  readonly jobs: readonly JobView[];
}

const NOT_YET = say("check-verifies-encrypted-copy-and");

/** Whether the encrypted copy is whole, and what is done about damage before and after it happens. */
export function Health({ folder, jobs }: HealthProps): ReactNode {
  const check = useWithSecret(folder, say("check-it"), (secret, sample: boolean) =>
    api.check(folder.id, secret, sample),
  );
  const mend = useWithSecret(folder, say("mend-it"), async (secret) => {
    const { mended } = await api.mend(folder.realPath, secret);
    toast.success(
      mended.length === 0 ? say("its-records-are-whole-there") : say("written-anew", { mended: mended.join(", ") }),
    );
  });
  if (!isEncrypting(folder)) return null;
  const isBusy = jobs.some(isRunning);
  const last = jobs.find((job) => ["check", "repair"].includes(job.verb) && job.state === "done");
  return (
    <section aria-labelledby="health">
      <h2 id="health" className="text-lg">
        {say("health")}
      </h2>
      <div className="mt-2 divide-y divide-line rounded-xl border border-line bg-sheet">
        <div className="px-4 py-3">
          <p className="text-sm" role="status">
            {last?.summary ?? lastCheckWords(folder) ?? NOT_YET}
            {!last && folder.lastCheck && (
              <span className="text-mute">
                {" "}
                <Time at={folder.lastCheck.at} />.
              </span>
            )}
          </p>
          <div className="mt-3 flex flex-wrap gap-2">
            <Button size="small" disabled={check.pending || isBusy} onClick={() => check.run(true)}>
              {say("check-sample")}
            </Button>
            <Button size="small" disabled={check.pending || isBusy} onClick={() => check.run(false)}>
              {say("check-every-byte")}
            </Button>
            <Button size="small" disabled={mend.pending || isBusy} onClick={() => mend.run()}>
              {say("mend-its-records")}
            </Button>
          </div>
        </div>
        <InsuranceRow folder={folder} isBusy={isBusy} />
        {check.dialog}
        {mend.dialog}
      </div>
    </section>
  );
}

function lastCheckWords({ lastCheck }: FolderView): string | null {
  if (!lastCheck) return null;
  if (!lastCheck.ok) return say("last-check-found-damage-check");
  return lastCheck.sample ? say("whole-as-far-as-sample") : say("whole-every-byte-checked");
}

const NAMES: Readonly<Record<Insurance, string>> = {
  light: say("little"),
  standard: say("usual"),
  strong: say("much"),
};

function InsuranceRow({ folder, isBusy }: { readonly folder: FolderView; readonly isBusy: boolean }): ReactNode {
  const [isChoosing, setChoosing] = useState(false);
  const view = useQuery({
    queryKey: KEYS.insurance(folder.id, isBusy),
    queryFn: () => api.insurance(folder.id),
    staleTime: 0,
    enabled: folder.state !== "away" && folder.state !== "missing",
  }).data;
  const repair = useWithSecret(folder, say("find-and-repair"), (secret) => api.repair(folder.id, secret));
  if (!view) return null;
  return (
    <div className="flex flex-wrap items-center justify-between gap-3 px-4 py-3">
      <p className="min-w-0 flex-1 basis-72 text-sm">
        <span className="font-semibold">{say("insurance")}</span> <span className="text-mute">{wordsFor(view)}</span>
      </p>
      <div className="flex gap-2">
        {view.now && (
          <Button size="small" disabled={repair.pending || isBusy} onClick={() => repair.run()}>
            {say("find-and-repair")}
          </Button>
        )}
        <Button size="small" disabled={isBusy || folder.state !== "locked"} onClick={() => setChoosing(true)}>
          {view.now ? say("change") : say("insure-it")}
        </Button>
      </div>
      <Dialog
        open={isChoosing}
        onOpenChange={setChoosing}
        title={say("insurance-for", { name: folder.name })}
        description={say("disk-that-ages-bad-stick")}
      >
        <Choose view={view} folder={folder} onDone={() => setChoosing(false)} />
      </Dialog>
      {repair.dialog}
    </div>
  );
}

function wordsFor({ now }: InsuranceView): string {
  if (!now) return say("none-damage-disk-would-cost");
  const rest = now.uncovered > 0 ? say("are-not-covered-yet-for", { uncovered: formatBytes(now.uncovered) }) : "";
  return say("takes-repairs-damage-up-in", {
    costs: formatBytes(now.costs),
    burst: formatBytes(now.burst),
    scattered: now.scattered,
    rest,
  });
}

function Choose({
  view,
  folder,
  onDone,
}: {
  readonly view: InsuranceView;
  readonly folder: FolderView;
  readonly onDone: () => void;
}): ReactNode {
  const [chosen, setChosen] = useState<Insurance | "none">(
    view.chosen === null || view.chosen === "other" ? "standard" : view.chosen,
  );
  const insure = useVerb(async () => {
    await api.insure(folder.id, chosen === "none" ? null : chosen);
    onDone();
  });
  return (
    <div className="mt-5 space-y-4">
      <Choices
        label={say("how-much")}
        columns="two"
        value={chosen}
        onChoose={setChosen}
        choices={[
          ...view.choices.map(({ insurance, costs, burst, scattered }) => ({
            value: insurance,
            title: `${NAMES[insurance]}, ${formatBytes(costs)}`,
            text: say("repairs-up-in-one-place", { burst: formatBytes(burst), scattered }),
          })),
          {
            value: "none" as const,
            title: say("none"),
            text: say("nothing-more-on-disk-damage"),
          },
        ]}
      />
      <p className="text-[13px] text-mute">{say("it-is-kept-up-by")}</p>
      <div className="flex justify-end gap-2">
        <Button onClick={onDone}>{say("not-now")}</Button>
        <Button
          tone="dusk"
          disabled={insure.pending || chosen === (view.chosen ?? "none")}
          onClick={() => insure.run()}
        >
          {chosen === "none" ? say("take-it-off") : say("insure-it-2")}
        </Button>
      </div>
    </div>
  );
}
