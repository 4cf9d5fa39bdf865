"use client";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useCallback, useEffect, useEffectEvent, useState } from "react";
import type { SignedIn } from "@eremos/server/contract";
import { FirstRun } from "./first-run";
import { Gate } from "./gate";
import { toast } from "sonner";
import { ApiError, api } from "@/lib/api";
import { useLiveUpdates } from "@/lib/live-updates";
import { KEYS } from "@/lib/queries";
import { borrowTab, clearTab, readTab, shareTab, writeTab } from "@/lib/tab";
import { say } from "@eremos/words/page/entrance";

/** What the house is to know of who has just come in, and whom it tells that they have gone. */
export interface Entered {
  readonly failedTries: number;
  readonly onFailuresSeen: () => void;
  readonly onSignedOut: () => void;
}

/** Nothing of the house is mounted before the gate has been passed. */
export function Entrance({ house }: { readonly house: (entered: Entered) => ReactNode }): ReactNode {
  const client = useQueryClient();
  const [failedTries, setFailedTries] = useState(0);
  const state = useQuery({
    queryKey: KEYS.state,
    staleTime: 0,
    queryFn: async () => {
      if (readTab() === "") await borrowTab(() => void client.invalidateQueries({ queryKey: KEYS.state }));
      return api.state();
    },
  });
  useEffect(() => shareTab(), []);

  const enter = async (signedIn: SignedIn): Promise<void> => {
    writeTab(signedIn.tab);
    setFailedTries(signedIn.failedTries);
    await client.invalidateQueries({ queryKey: KEYS.state });
  };
  const leave = useCallback(async (): Promise<void> => {
    clearTab();
    // What they say names folders.
    toast.dismiss();
    client.removeQueries({ predicate: (query) => query.queryKey[0] !== KEYS.state[0] });
    await client.invalidateQueries({ queryKey: KEYS.state });
  }, [client]);
  const onSignedOut = useCallback(() => void leave(), [leave]);
  useLiveUpdates(onSignedOut);

  if (state.error)
    return (
      <Unreachable
        message={state.error instanceof ApiError ? state.error.message : say("page-could-not-be-loaded")}
        onAgain={() => void state.refetch()}
      />
    );
  if (!state.data) return <div className="h-dvh bg-paper" aria-busy="true" />;
  if (!state.data.setUp) return <FirstRun onDone={(signedIn) => void enter(signedIn)} />;
  if (!state.data.signedIn && state.data.stays) return <Staying onSignedIn={(signedIn) => void enter(signedIn)} />;
  if (!state.data.signedIn)
    return (
      <Gate
        state={state.data}
        openAt={state.dataUpdatedAt + state.data.waitMs}
        onSignedIn={(signedIn) => void enter(signedIn)}
        onTried={() => void state.refetch()}
      />
    );
  return house({ failedTries, onFailuresSeen: () => setFailedTries(0), onSignedOut });
}

/** The owner chose to stay signed in, and this browser runs in the owner's account. */
function Staying({ onSignedIn }: { readonly onSignedIn: (signedIn: SignedIn) => void }): ReactNode {
  const { data, error, refetch } = useQuery({
    queryKey: ["stay"],
    queryFn: api.returnStaying,
    retry: false,
    gcTime: 0,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const enter = useEffectEvent(onSignedIn);
  useEffect(() => {
    if (data) enter(data);
  }, [data]);
  if (error) return <Unreachable message={error.message} onAgain={() => void refetch()} />;
  return <div className="h-dvh bg-paper" aria-busy="true" />;
}

function Unreachable({ message, onAgain }: { readonly message: string; readonly onAgain: () => void }): ReactNode {
  return (
    <main className="grid h-dvh place-items-center p-6">
      <div className="max-w-md">
        <h1 className="text-2xl">{say("eremos-does-not-answer")}</h1>
        <p className="mt-2 text-mute">{message}</p>
        <button type="button" onClick={onAgain} className="mt-4 font-semibold text-dusk underline underline-offset-4">
          {say("try-again")}
        </button>
      </div>
    </main>
  );
}
