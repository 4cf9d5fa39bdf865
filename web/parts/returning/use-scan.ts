"use client";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { ScanView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { KEYS, showError } from "@/lib/queries";

const LOOK_EVERY_MS = 500;
const AT_ONCE = 100;

interface Scan {
  readonly scan: ScanView | undefined;
  readonly start: (places: readonly string[] | null) => void;
  readonly stop: () => void;
  readonly showMore: () => void;
  /** What was found may have changed. */
  readonly again: () => void;
}

/** The search for protected folders, as it goes on. */
export function useScan(): Scan {
  const client = useQueryClient();
  const again = (): void => void client.invalidateQueries({ queryKey: KEYS.scan });
  const [upTo, setUpTo] = useState(AT_ONCE);
  const { data } = useQuery({
    queryKey: [...KEYS.scan, upTo],
    queryFn: () => api.scan(upTo),
    staleTime: 0,
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.isRunning ? LOOK_EVERY_MS : false),
  });
  const start = useMutation({ mutationFn: api.startScan, onError: showError, onSettled: again });
  const stop = useMutation({ mutationFn: api.stopScan, onError: showError, onSettled: again });
  return { scan: data, start: start.mutate, stop: stop.mutate, showMore: () => setUpTo(upTo * 3), again };
}
