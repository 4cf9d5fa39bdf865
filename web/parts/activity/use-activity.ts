"use client";
import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import type { ActivityFilter, ActivityPage, ActivityView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { KEYS } from "@/lib/queries";

const PAGE = 200;

interface Activity {
  /** Of the first page; undefined while it is asked for. */
  readonly first: ActivityPage | undefined;
  /** By its place among those that fit; undefined while it is asked for. */
  readonly entry: (nth: number) => ActivityView | undefined;
}

/** Entries that fit, page by page: those that are in view (from, until) are asked for. */
export function useActivity(filter: ActivityFilter, from: number, until: number): Activity {
  const first = useQuery({ ...pageOf(filter, 0), placeholderData: keepPreviousData }).data;
  const shown = new Set([Math.floor(from / PAGE), Math.floor(Math.max(from, until) / PAGE)].filter((page) => page > 0));
  const pages = useQueries({ queries: [...shown].map((page) => pageOf(filter, page)) });
  const byPage = new Map([...shown].map((page, i) => [page, pages[i]?.data]));
  return {
    first,
    entry: (nth) => {
      const page = Math.floor(nth / PAGE);
      return (page === 0 ? first : byPage.get(page))?.events[nth - page * PAGE];
    },
  };
}

function pageOf(filter: ActivityFilter, page: number) {
  return {
    queryKey: KEYS.activityPage(filter, page),
    queryFn: () => api.activity(filter, page * PAGE, PAGE),
  };
}
