"use client";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { VisitCall, VisitReply } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { KEYS, showError } from "@/lib/queries";

/** What a directory of the visited folder holds, or what a search below it finds. */
export function useEntries(
  folder: string,
  href: string,
  search: string,
): { readonly reply: VisitReply | undefined; readonly error: Error | null } {
  const asked: VisitCall = search === "" ? { kind: "list", href } : { kind: "search", href, name: search };
  const { data, error } = useQuery({
    queryKey: [...KEYS.visit(folder), asked],
    queryFn: () => api.visit(folder, asked),
    retry: false,
    staleTime: 0,
    placeholderData: (before) => before,
  });
  return { reply: data, error };
}

interface Change {
  readonly run: (call: VisitCall, onDone?: () => void) => void;
  readonly pending: boolean;
  /** What shows the folder looks again. */
  readonly refresh: () => Promise<void>;
}

/** A change, and everything that shows the folder looks again. */
export function useChange(folder: string): Change {
  const client = useQueryClient();
  const refresh = (): Promise<void> => client.invalidateQueries({ queryKey: KEYS.visit(folder) });
  const mutation = useMutation({
    mutationFn: (call: VisitCall) => api.visit(folder, call),
    onError: showError,
    onSettled: () => refresh(),
  });
  return {
    run: (call, onDone) => mutation.mutate(call, { onSuccess: () => onDone?.() }),
    pending: mutation.isPending,
    refresh,
  };
}
