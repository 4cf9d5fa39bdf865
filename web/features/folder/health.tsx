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

interface HealthProps {
  readonly folder: FolderView;
  readonly jobs: readonly JobView[];
}

const NOT_YET =
  "A check verifies the encrypted copy, and changes nothing: a sample in seconds, or every byte. Mending writes damaged records anew, from their copies.";

/** Whether the encrypted copy is whole, and what is done about damage before and after it happens. */
export function Health({ folder, jobs }: HealthProps): ReactNode {
  const check = useWithSecret(folder, "Check it", (secret, sample: boolean) => api.check(folder.id, secret, sample));
  const mend = useWithSecret(folder, "Mend it", async (secret) => {
    const { mended } = await api.mend(folder.realPath, secret);
    toast.success(
      mended.length === 0 ? "Its records are whole: there was nothing to mend." : `Written anew: ${mended.join(", ")}.`,
    );
  });
  if (!isEncrypting(folder)) return null;
  const isBusy = jobs.some(isRunning);
  const last = jobs.find((job) => ["check", "repair"].includes(job.verb) && job.state === "done");
  return (
    <section aria-labelledby="health">
      <h2 id="health" className="text-lg">
        Health
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
              Check a sample
            </Button>
            <Button size="small" disabled={check.pending || isBusy} onClick={() => check.run(false)}>
              Check every byte
            </Button>
            <Button size="small" disabled={mend.pending || isBusy} onClick={() => mend.run()}>
              Mend its records
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
  if (!lastCheck.ok)
    return "The last check found damage. Check it again to see where; what is whole comes out in any case.";
  return lastCheck.sample ? "Whole, as far as a sample tells, looked at" : "Whole, every byte checked";
}

const NAMES: Readonly<Record<Insurance, string>> = { light: "A little", standard: "Usual", strong: "Much" };

function InsuranceRow({ folder, isBusy }: { readonly folder: FolderView; readonly isBusy: boolean }): ReactNode {
  const [isChoosing, setChoosing] = useState(false);
  const view = useQuery({
    queryKey: KEYS.insurance(folder.id, isBusy),
    queryFn: () => api.insurance(folder.id),
    staleTime: 0,
    enabled: folder.state !== "away" && folder.state !== "missing",
  }).data;
  const repair = useWithSecret(folder, "Find and repair", (secret) => api.repair(folder.id, secret));
  if (!view) return null;
  return (
    <div className="flex flex-wrap items-center justify-between gap-3 px-4 py-3">
      <p className="min-w-0 flex-1 basis-72 text-sm">
        <span className="font-semibold">Insurance</span> <span className="text-mute">{wordsFor(view)}</span>
      </p>
      <div className="flex gap-2">
        {view.now && (
          <Button size="small" disabled={repair.pending || isBusy} onClick={() => repair.run()}>
            Find and repair
          </Button>
        )}
        <Button size="small" disabled={isBusy || folder.state !== "locked"} onClick={() => setChoosing(true)}>
          {view.now ? "Change…" : "Insure it…"}
        </Button>
      </div>
      <Dialog
        open={isChoosing}
        onOpenChange={setChoosing}
        title={`Insurance for ${folder.name}`}
        description="A disk that ages, a bad stick or a cut-off copy spoils parts of files. Insurance keeps a little more beside the encrypted copy, from which Eremos writes spoilt parts anew, byte for byte."
      >
        <Choose view={view} folder={folder} onDone={() => setChoosing(false)} />
      </Dialog>
      {repair.dialog}
    </div>
  );
}

function wordsFor({ now }: InsuranceView): string {
  if (!now) return "none. Damage to the disk would cost the files it hits.";
  const rest =
    now.uncovered > 0
      ? ` ${formatBytes(now.uncovered)} are not covered yet, for want of room; the next lock tries again.`
      : "";
  return `takes ${formatBytes(now.costs)}. Repairs damage of up to ${formatBytes(now.burst)} in one place, or any ${now.scattered} spoilt places of up to 4 KB; usually many more.${rest}`;
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
        label="How much"
        columns="two"
        value={chosen}
        onChoose={setChosen}
        choices={[
          ...view.choices.map(({ insurance, costs, burst, scattered }) => ({
            value: insurance,
            title: `${NAMES[insurance]}, ${formatBytes(costs)}`,
            text: `Repairs up to ${formatBytes(burst)} in one place, or any ${scattered} spoilt places of up to 4 KB, wherever they are.`,
          })),
          {
            value: "none" as const,
            title: "None",
            text: "Nothing more on the disk. Damage costs the files it hits; all others come out.",
          },
        ]}
      />
      <p className="text-[13px] text-mute">
        It is kept up by itself with every lock. It is no backup: a lost disk is lost with it.
      </p>
      <div className="flex justify-end gap-2">
        <Button onClick={onDone}>Not now</Button>
        <Button
          tone="dusk"
          disabled={insure.pending || chosen === (view.chosen ?? "none")}
          onClick={() => insure.run()}
        >
          {chosen === "none" ? "Take it off" : "Insure it"}
        </Button>
      </div>
    </div>
  );
}
