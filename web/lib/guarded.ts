"use client";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError } from "./api";
import { useCountdown } from "./countdown";
import { duration } from "./format";
import { KEYS } from "./queries";
import { say } from "@eremos/words/page/shell";

export interface Guarded<A> {
  readonly run: (input: A) => void;
  readonly pending: boolean;
  /** What went wrong, in words, or null. */
  readonly problem: string | null;
  /** It can't be tried now: under way, or a wait after a wrong password. */
  readonly isBlocked: boolean;
  /** What its button says. */
  readonly label: (words: string) => string;
}

/** A verb that looks at a password or a code: says what was wrong with it, and keeps to the wait after a wrong one. */
export function useGuarded<A, R>(verb: (input: A) => Promise<R>, onDone: (result: R) => void): Guarded<A> {
  const client = useQueryClient();
  const [blockedUntil, setBlockedUntil] = useState(0);
  const wait = useCountdown(blockedUntil);
  const mutation = useMutation({
    mutationFn: verb,
    onSuccess: onDone,
    onError: (error) => {
      if (error instanceof ApiError && typeof error.data["waitMs"] === "number")
        setBlockedUntil(Date.now() + error.data["waitMs"]);
    },
    onSettled: () =>
      Promise.all(
        [KEYS.settings, KEYS.efforts, KEYS.folders, KEYS.jobs].map((queryKey) =>
          client.invalidateQueries({ queryKey }),
        ),
      ),
  });
  const { error, isPending } = mutation;
  return {
    run: mutation.mutate,
    pending: isPending,
    problem: error ? (error instanceof ApiError ? error.message : say("that-did-not-work-nothing")) : null,
    isBlocked: isPending || wait > 0,
    label: (words) => (isPending ? say("one-moment") : wait > 0 ? say("wait", { wait: duration(wait / 1000) }) : words),
  };
}
