"use client";
import { USUAL_BARS, traitsOf } from "@eremos/core/guards";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Protection } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { AGAINST } from "./protections";

/** What a folder is to be protected with: at first what was chosen last. */
export function useProtection(): readonly [Protection, (protection: Protection) => void] {
  const chosen = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data?.preferences.chosen;
  const [protection, setProtection] = useState<Protection | null>(null);
  const first: Protection = chosen
    ? { ...chosen, cover: null, icon: null, bars: traitsOf(chosen.guard).hasBars ? USUAL_BARS : null }
    : AGAINST.anybody.protection;
  return [protection ?? first, setProtection];
}
