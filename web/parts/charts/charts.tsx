"use client";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { type Sought, timeOf, whenWords } from "@/parts/activity/sought";
import { api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { OpenHours } from "./open-hours";
import { WaysProven } from "./proofs";
import { Sizes } from "./sizes";
import { WrongTries } from "./wrong-tries";

interface ChartsProps {
  /** A folder's id; null: all. */
  readonly of: string | null;
  readonly sought: Pick<Sought, "time" | "fromDay" | "toDay">;
}

/** What happened, as charts: of a folder, or of all, in a time. */
export function Charts({ of, sought }: ChartsProps): ReactNode {
  const { from, until } = timeOf(sought);
  const view = useQuery({
    queryKey: KEYS.charts(of, from, until),
    queryFn: () => api.charts(of, from, until),
    placeholderData: keepPreviousData,
  }).data;
  if (!view) return <div aria-busy="true" className="h-64" />;
  const when = whenWords(sought);
  return (
    <div className="grid gap-4 lg:grid-cols-2">
      <div className="min-w-0 lg:col-span-2">
        <OpenHours view={view} when={when} />
      </div>
      <WrongTries view={view} when={when} />
      <WaysProven view={view} />
      <div className="min-w-0 lg:col-span-2">
        <Sizes view={view} when={when} />
      </div>
    </div>
  );
}
