"use client";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { DeskView, SettingsView } from "@eremos/server/contract";
import { api } from "./api";
import { KEYS } from "./queries";

const AS_AT_FIRST: DeskView = { sort: "state", isDescending: false, isTable: false };

/**
 * How the Desk lists folders, as it was chosen last. What is chosen here counts at once: an answer of the server's that
 * was on its way meanwhile does not know it yet.
 */
export function useDeskView(): readonly [DeskView, (change: Partial<DeskView>) => void] {
  const client = useQueryClient();
  const settings = useQuery({ queryKey: KEYS.settings, queryFn: api.settings });
  const [chosen, setChosen] = useState<DeskView | null>(null);
  const view = chosen ?? settings.data?.preferences.desk ?? AS_AT_FIRST;
  return [
    view,
    (change) => {
      const desk = { ...view, ...change };
      setChosen(desk);
      client.setQueryData<SettingsView>(
        KEYS.settings,
        (now) => now && { ...now, preferences: { ...now.preferences, desk } },
      );
      // How a list looks is not worth an error of its own.
      api.setPreferences({ desk }).catch(() => undefined);
    },
  ];
}
