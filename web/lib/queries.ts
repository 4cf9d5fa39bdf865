"use client";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import type { ActivityFilter, FolderView, JobView } from "@eremos/server/contract";
import { ApiError, api } from "./api";
import { say } from "@eremos/words/page/shell";

/** What the page knows of the server, by name. The event stream says which to ask again. */
export const KEYS = {
  state: ["state"],
  folders: ["folders"],
  jobs: ["jobs"],
  roots: ["roots"],
  /** All of what is asked of what happened. */
  activity: ["activity"],
  activityPage: (filter: ActivityFilter, page: number) => ["activity", "page", filter, page],
  charts: (of: string | null, from: number | null, until: number | null) => ["activity", "charts", of, from, until],
  sinceLastTime: ["since-last-time"],
  settings: ["settings"],
  desktop: ["desktop"],
  shortcut: ["shortcut"],
  scan: ["scan"],
  rescueFiles: ["rescue-files"],
  efforts: ["efforts"],
  keyholders: ["keyholders"],
  hidden: ["hidden"],
  interruptions: ["interruptions"],
  mailServer: ["mail-server"],
  newKeys: ["new-keys"],
  /** All of the next. */
  sharesSets: ["shares-set"],
  sharesSet: (at: string | null) => ["shares-set", at],
  insurance: (folder: string, isBusy: boolean) => ["insurance", folder, isBusy],
  place: (path: string) => ["place", path],
  visit: (folder: string) => ["visit", folder],
  traces: (folder: string) => ["traces", folder],
  /** All of the next. */
  tracesAround: ["traces", "around"],
  tracesOfMany: (folders: readonly string[]) => ["traces", "around", ...folders],
  knownTraces: (folder: string) => ["traces", folder, "known"],
  keptTraces: ["kept-traces"],
  /** All of the next. */
  handOver: ["hand-over"],
  handedOver: ["hand-over", "made"],
  goesIn: (path: string, hrefs: readonly string[] | null) => ["hand-over", "plan", path, hrefs],
  medium: (path: string) => ["medium", path],
  reach: (folder: string) => ["reach", folder],
  onlooker: (path: string, subject: string | null) => ["onlooker", path, subject],
} as const;

/** The protected folders, but for those in the trash. */
export function useFolders(): readonly FolderView[] | undefined {
  return useQuery({ queryKey: KEYS.folders, queryFn: api.folders }).data?.filter(({ removed }) => removed === null);
}

/** Those in the trash. */
export function useRemoved(): readonly FolderView[] {
  const folders = useQuery({ queryKey: KEYS.folders, queryFn: api.folders }).data ?? [];
  return folders.filter(({ removed }) => removed !== null);
}

export function useJobs(): readonly JobView[] {
  return useQuery({ queryKey: KEYS.jobs, queryFn: api.jobs }).data ?? [];
}

export function isRunning(job: JobView): boolean {
  return job.state === "running" || job.state === "queued";
}

export function showError(error: unknown): void {
  toast.error(error instanceof ApiError ? error.message : say("something-went-wrong-in-page"), { duration: 12_000 });
}

/** One of the verbs; its end is told by the job, its refusal at once. */
export function useVerb<A extends readonly unknown[]>(
  verb: (...args: A) => Promise<unknown>,
): { readonly run: (...args: A) => void; readonly pending: boolean } {
  const client = useQueryClient();
  const mutation = useMutation({
    mutationFn: (args: A) => verb(...args),
    onError: showError,
    onSettled: () =>
      Promise.all([
        client.invalidateQueries({ queryKey: KEYS.folders }),
        client.invalidateQueries({ queryKey: KEYS.jobs }),
      ]),
  });
  return { run: (...args) => mutation.mutate(args), pending: mutation.isPending };
}
