"use client";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { JobView, TracesView } from "@eremos/server/contract";
import { type WhatThen, api } from "@/lib/api";
import { KEYS, isRunning, showError, useJobs } from "@/lib/queries";

/** Programs write back what they remember soon, or when they end. */
const LOOK_AGAIN_MS = 60_000;

export interface Traces {
  readonly found: TracesView | undefined;
  readonly error: Error | null;
  readonly isLooking: boolean;
  readonly look: () => void;
  readonly clear: (traces: TracesView["traces"], then: WhatThen) => void;
  /** What clears them now. */
  readonly job: JobView | null;
  /** They were cleared, and are looked for again in a minute. */
  readonly looksAgain: boolean;
  /** So many that were cleared were there again then. */
  readonly cameBack: number;
}

/** A folder's traces elsewhere: found when that is asked for, cleared, and looked for again a minute later. */
export function useTraces(folder: string): Traces {
  const client = useQueryClient();
  // Only when it is asked for: it reads what all programs of the desktop keep.
  const found = useQuery({ queryKey: KEYS.traces(folder), queryFn: () => api.traces(folder, true), enabled: false });
  const { refetch } = found;
  const job = useJobs().find((one) => one.folder === folder && one.verb === "clear" && isRunning(one)) ?? null;
  const [cleared, setCleared] = useState<ReadonlySet<string>>(new Set());
  const [looksAgain, setLooksAgain] = useState(false);
  const [cameBack, setCameBack] = useState(0);
  const clearing = useMutation({
    mutationFn: ({ traces, then }: { readonly traces: TracesView["traces"]; readonly then: WhatThen }) =>
      api.clearTraces(
        folder,
        traces.map(({ id }) => id),
        traces.some(({ isSure }) => !isSure),
        then,
      ),
    onSuccess: (_job, { traces }) => setCleared(new Set(traces.map(({ id }) => id))),
    onError: showError,
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.jobs }),
  });
  const wasBusy = useRef(false);
  const isBusy = clearing.isPending || job !== null;
  useEffect(() => {
    if (wasBusy.current && !isBusy) {
      void refetch();
      for (const queryKey of [KEYS.keptTraces, KEYS.tracesAround, KEYS.knownTraces(folder)])
        void client.invalidateQueries({ queryKey });
      setLooksAgain(true);
    }
    wasBusy.current = isBusy;
  }, [isBusy, refetch, client, folder]);
  useEffect(() => {
    if (!looksAgain) return undefined;
    const lookAgain = async (): Promise<void> => {
      // What was put back meanwhile is no program's doing.
      const isReset = client.getQueryData(KEYS.traces(folder)) === undefined;
      const now = isReset ? null : (await refetch()).data;
      setCameBack(now?.traces.filter(({ id }) => cleared.has(id)).length ?? 0);
      setLooksAgain(false);
    };
    const timer = setTimeout(() => void lookAgain(), LOOK_AGAIN_MS);
    return () => clearTimeout(timer);
  }, [looksAgain, refetch, client, folder, cleared]);
  return {
    found: found.data,
    error: found.error,
    isLooking: found.isFetching,
    look: () => {
      setLooksAgain(false);
      setCameBack(0);
      void refetch();
    },
    clear: (traces, then) => clearing.mutate({ traces, then }),
    job,
    looksAgain: looksAgain && found.data !== undefined,
    cameBack: looksAgain || isBusy || !found.data ? 0 : cameBack,
  };
}
