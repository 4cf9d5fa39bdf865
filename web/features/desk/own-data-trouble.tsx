"use client";
import { useQuery } from "@tanstack/react-query";
import Link from "next/link";
import type { ReactNode } from "react";
import { api } from "@/lib/api";
import { KEYS, useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Trouble } from "@/ui/trouble";
import { say } from "@eremos/words/page/desk";

/** What is wrong with Eremos' own list, or null. */
export function useOwnDataTrouble(): string | null {
  return useQuery({ queryKey: KEYS.state, queryFn: api.state }).data?.ownDataTrouble ?? null;
}

/** The list was damaged, and a new one begun: until its owner says that they know. */
export function OwnDataTrouble({ words }: { readonly words: string }): ReactNode {
  const { refetch } = useQuery({ queryKey: KEYS.state, queryFn: api.state });
  const told = useVerb(async () => {
    await api.ownDataTold();
    await refetch();
  });
  return (
    <Trouble words={words}>
      <Button size="small" disabled={told.pending} onClick={() => told.run()}>
        {say("i-know")}
      </Button>
      <Link
        href="/ways-back"
        className="inline-flex items-center rounded-lg px-3 text-[13px] font-semibold text-dusk underline underline-offset-4"
      >
        {say("search-for-my-folders")}
      </Link>
    </Trouble>
  );
}
