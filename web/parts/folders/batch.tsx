"use client";
import { X } from "lucide-react";
import { type ReactNode, createContext, use, useCallback, useMemo, useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import type { JobView } from "@eremos/server/contract";
import { Button } from "@/ui/button";
import { ProgressBar } from "@/ui/progress-bar";
import { ApiError, api } from "@/lib/api";
import { cn } from "@/lib/cn";
import { KEYS, useJobs } from "@/lib/queries";
import type { ManyAct } from "./acts";
import { say } from "@eremos/words/page/acts";

const VERBS: Readonly<Record<ManyAct, string>> = {
  lock: say("locking"),
  open: say("opening"),
  check: say("checking"),
  protect: say("changing-guard"),
  release: say("releasing"),
  remove: say("removing"),
};

/** One thing that is done among several: its work is a job of its own, which goes on when the page goes. */
interface Task {
  readonly name: string;
  readonly begin: () => Promise<{ readonly job: string | null }>;
}

type Standing = "waiting" | "under-way" | "done" | "failed" | "stopped";
interface Item {
  readonly name: string;
  readonly job: string | null;
  readonly standing: Standing;
  /** How it ended, in words. */
  readonly words: string | null;
}

interface Batch {
  /** The tasks it began with: what another began is not told here. */
  readonly of: readonly Task[];
  readonly verb: ManyAct;
  readonly items: readonly Item[];
}

interface Batches {
  readonly batch: Batch | null;
  /** The server does one after another; one that fails does not stop the others. */
  start(verb: ManyAct, tasks: readonly Task[]): void;
  putAway(): void;
  /** Its end is told among the others, not by itself; null: that can't be said yet. */
  tells(job: JobView): boolean | null;
}

const BatchContext = createContext<Batches | null>(null);

export function BatchProvider({ children }: { readonly children: ReactNode }): ReactNode {
  const [batch, setBatch] = useState<Batch | null>(null);
  const jobs = useJobs();
  const client = useQueryClient();
  const [seen, setSeen] = useState(jobs);
  if (jobs !== seen) {
    setSeen(jobs);
    if (batch) setBatch(followed(batch, jobs));
  }
  const start = useCallback(
    (verb: ManyAct, tasks: readonly Task[]): void => {
      setBatch({
        of: tasks,
        verb,
        items: tasks.map(({ name }) => ({ name, job: null, standing: "waiting", words: null })),
      });
      const set = (at: number, change: Partial<Item>): void =>
        setBatch((now) =>
          now?.of !== tasks
            ? now
            : { ...now, items: now.items.map((item, i) => (i === at ? { ...item, ...change } : item)) },
        );
      void (async () => {
        for (const [at, { begin }] of tasks.entries()) {
          try {
            const { job } = await begin();
            set(at, job === null ? { standing: "done" } : { job, standing: "under-way" });
          } catch (error) {
            set(at, { standing: "failed", words: error instanceof ApiError ? error.message : say("cut-off") });
          }
        }
        for (const queryKey of [KEYS.jobs, KEYS.folders]) void client.invalidateQueries({ queryKey });
      })();
    },
    [client],
  );
  const value = useMemo<Batches>(
    () => ({
      batch,
      start,
      putAway: () => setBatch(null),
      tells: (job) => {
        if (batch?.items.some((item) => item.job === job.id)) return true;
        return batch?.items.some(({ standing }) => standing === "waiting") === true ? null : false;
      },
    }),
    [batch, start],
  );
  return <BatchContext value={value}>{children}</BatchContext>;
}

export function useBatch(): Batches {
  const batches = use(BatchContext);
  if (!batches) throw new Error("useBatch belongs inside BatchProvider");
  return batches;
}

/** With what became of its jobs. What ended once stays ended: the server forgets old jobs. */
function followed(batch: Batch, jobs: readonly JobView[]): Batch {
  const items = batch.items.map((item) => {
    if (item.standing !== "under-way") return item;
    const job = jobs.find(({ id }) => id === item.job);
    if (!job || job.state === "running" || job.state === "queued") return item;
    if (job.state === "done") return { ...item, standing: "done" as const, words: job.summary };
    if (job.state === "cancelled") return { ...item, standing: "stopped" as const, words: say("stopped") };
    return { ...item, standing: "failed" as const, words: job.error?.message ?? say("cut-off") };
  });
  return items.every((item, i) => item === batch.items[i]) ? batch : { ...batch, items };
}

function isOver({ standing }: Item): boolean {
  return standing !== "waiting" && standing !== "under-way";
}

/** One progress for all, and a result for each. */
export function BatchReport(): ReactNode {
  const { batch, putAway } = useBatch();
  const jobs = useJobs();
  if (!batch) return null;
  const { items, verb } = batch;
  const over = items.filter(isOver);
  const failed = items.filter(({ standing }) => standing === "failed" || standing === "stopped").length;
  const [done, total] = [over.length - failed, items.length];
  const isEnded = over.length === items.length;
  const going = items.flatMap((item) => jobs.find(({ id, state }) => id === item.job && state === "running") ?? []);
  const part = going.reduce((sum, job) => sum + (job.bytesTotal > 0 ? job.bytes / job.bytesTotal : 0), 0);
  const ordered = [...items].sort((a, b) => Number(b.standing === "failed") - Number(a.standing === "failed"));
  return (
    <section aria-label={VERBS[verb]} className="mt-2 mb-2 rounded-xl border border-dusk/40 bg-dusk-soft/60 px-4 py-3">
      <div className="flex items-center gap-3">
        <p role="status" className="flex-1 text-sm font-semibold">
          {isEnded
            ? say("ended-with", { done, total, failed })
            : say("going-on", { done, total, failed, verb: VERBS[verb] })}
        </p>
        {isEnded ? (
          <Button size="small" className="px-2" aria-label={say("put-away")} title={say("put-away")} onClick={putAway}>
            <X className="size-4" aria-hidden />
          </Button>
        ) : (
          <Button
            size="small"
            onClick={() => {
              for (const { job } of items.filter((item) => !isOver(item)))
                if (job !== null) void api.cancelJob(job).catch(() => undefined);
            }}
          >
            {say("stop-rest")}
          </Button>
        )}
      </div>
      {!isEnded && <ProgressBar label={VERBS[verb]} part={(over.length + part) / items.length} />}
      <details className="mt-1.5 text-[13px]" open={isEnded && failed > 0}>
        <summary className="cursor-pointer text-mute">{say("what-became")}</summary>
        <ul className="mt-1.5 max-h-48 space-y-1 overflow-y-auto">
          {ordered.map((item, i) => (
            <li key={`${item.name} ${i}`}>
              <span className="font-medium">{item.name}</span>{" "}
              <span className={cn(item.standing === "failed" ? "text-oxblood" : "text-mute")}>
                {item.words ?? STANDING_WORDS[item.standing]}
              </span>
            </li>
          ))}
        </ul>
      </details>
    </section>
  );
}

const STANDING_WORDS: Readonly<Record<Standing, string>> = {
  waiting: say("waiting"),
  "under-way": say("under-way"),
  done: say("done"),
  failed: say("cut-off"),
  stopped: say("stopped"),
};
