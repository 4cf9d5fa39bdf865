"use client";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ToggleGroup } from "radix-ui";
import type { ReactNode } from "react";
import type { PreferencesView, SettingsView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { useArriveAt } from "@/lib/arrive-at";
import { KEYS, showError } from "@/lib/queries";
import { Guessing } from "./guessing";
import { MasterPassword } from "./change-password";
import { OffLimits } from "./off-limits";
import { Places, Synced } from "./places";
import { StaySection } from "./stay-section";
import { NoticesSection } from "./notices";
import { PinSection } from "./pin-section";
import { RecoveryCode } from "./recovery-code";
import { TakingOff } from "./taking-off";
import { DesktopSwitches } from "@/parts/desktop/switches";
import { RulesForm } from "@/parts/folders/rules-form";
import { say } from "@eremos/words/page/settings";

const THEMES = [
  ["light", say("light")],
  ["dark", say("dark")],
  ["system", say("as-desktop")],
] as const;

export function SettingsPage(): ReactNode {
  const settings = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data;
  useArriveAt(settings !== undefined);
  return (
    <main className="h-full overflow-y-auto px-6 py-6 lg:px-10">
      <div className="max-w-[760px] space-y-8 pb-10">
        <h1 className="text-2xl">{say("settings")}</h1>
        {settings && (
          <>
            <Look preferences={settings.preferences} />
            <MasterPassword settings={settings} />
            <RecoveryCode settings={settings} />
            <PinSection hasPin={settings.hasPin} />
            <StaySection stays={settings.stays} />
            <LeavingOpen preferences={settings.preferences} />
            <KeepEarlier preferences={settings.preferences} />
            <CheckEvery preferences={settings.preferences} />
            <NoticesSection notices={settings.preferences.notices} />
            <section aria-labelledby="desktop">
              <h2 id="desktop" className="text-lg">
                {say("on-your-desktop")}
              </h2>
              <DesktopSwitches />
            </section>
            <section aria-labelledby="data">
              <h2 id="data" className="text-lg">
                {say("where-things-are")}
              </h2>
              <dl className="mt-2 rounded-xl border border-line bg-sheet px-4 text-sm">
                <Row term={say("eremos-own-data")}>{settings.dataDirectory}</Row>
                <Row term={say("this-eremos")}>
                  {say("version-and-kind", { kind: settings.program.kind, version: settings.program.version })}
                </Row>
                <Row term={say("its-runtime")}>{runtimeWords(settings.program)}</Row>
              </dl>
              <p className="mt-1.5 text-[13px] text-mute">{say("set-when-eremos-is-started")}</p>
            </section>
            <Guessing hashing={settings.hashing} />
            <Places settings={settings} />
            <Synced settings={settings} />
            <OffLimits settings={settings} />
            <TakingOff settings={settings} />
          </>
        )}
      </div>
    </main>
  );
}

/** Light or dark. Kept by Eremos: an address of one start keeps nothing in the browser. */
function Look({ preferences }: { readonly preferences: PreferencesView }): ReactNode {
  const client = useQueryClient();
  const save = useMutation({
    mutationFn: (theme: PreferencesView["theme"]) => {
      document.documentElement.dataset["theme"] = theme;
      return api.setPreferences({ theme });
    },
    onError: showError,
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  return (
    <section aria-labelledby="look">
      <h2 id="look" className="text-lg">
        {say("look")}
      </h2>
      <ToggleGroup.Root
        type="single"
        value={preferences.theme}
        onValueChange={(value) => THEMES.forEach(([theme]) => theme === value && save.mutate(theme))}
        aria-label={say("theme")}
        className="mt-2 inline-flex rounded-lg border border-line bg-sheet p-1"
      >
        {THEMES.map(([value, word]) => (
          <ToggleGroup.Item
            key={value}
            value={value}
            className="rounded-md px-3 py-1.5 text-sm data-[state=on]:bg-dusk-soft data-[state=on]:font-semibold data-[state=on]:text-dusk"
          >
            {word}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
    </section>
  );
}

/** How far back a sealed folder can be put. */
function KeepEarlier({ preferences }: { readonly preferences: PreferencesView }): ReactNode {
  const client = useQueryClient();
  const save = useMutation({
    mutationFn: api.setPreferences,
    onError: showError,
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  return (
    <section aria-labelledby="keep-earlier">
      <h2 id="keep-earlier" className="text-lg">
        {say("earlier-states")}
      </h2>
      <label className="mt-2 flex flex-wrap items-center gap-2 text-sm">
        {say("each-sealed-folder-keep")}
        <select
          value={preferences.keepEarlier}
          disabled={save.isPending}
          onChange={(event) => save.mutate({ keepEarlier: Number(event.target.value) })}
          className="h-9 rounded-lg border border-line bg-sheet px-2.5"
        >
          {[0, 1, 2, 5, 10, 20].map((number) => (
            <option key={number} value={number}>
              {number === 0 ? say("only-last-state") : say("last-state-and-before-it", { number })}
            </option>
          ))}
        </select>
      </label>
      <p className="mt-1.5 text-[13px] text-mute">{say("encrypted-like-rest-each-takes")}</p>
    </section>
  );
}

/** How often a sample of each sealed folder is looked at by itself. */
function CheckEvery({ preferences }: { readonly preferences: PreferencesView }): ReactNode {
  const client = useQueryClient();
  const save = useMutation({
    mutationFn: api.setPreferences,
    onError: showError,
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  return (
    <section aria-labelledby="check-every">
      <h2 id="check-every" className="text-lg">
        {say("checks-by-itself")}
      </h2>
      <label className="mt-2 flex flex-wrap items-center gap-2 text-sm">
        {say("look-at-sample-each-sealed")}
        <select
          value={preferences.checkEveryDays}
          disabled={save.isPending}
          onChange={(event) => save.mutate({ checkEveryDays: Number(event.target.value) })}
          className="h-9 rounded-lg border border-line bg-sheet px-2.5"
        >
          {[
            [1, say("every-day")],
            [7, say("every-week")],
            [30, say("every-month")],
            [90, say("every-three-months")],
            [0, "never"],
          ].map(([days, words]) => (
            <option key={days} value={days}>
              {words}
            </option>
          ))}
        </select>
      </label>
      <p className="mt-1.5 text-[13px] text-mute">{say("while-you-are-signed-in")}</p>
    </section>
  );
}

/** What holds for every folder without rules of its own, and when the page signs out by itself. */
function LeavingOpen({ preferences }: { readonly preferences: PreferencesView }): ReactNode {
  const client = useQueryClient();
  const save = useMutation({
    mutationFn: api.setPreferences,
    onError: showError,
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  return (
    <section aria-labelledby="leaving-open">
      <h2 id="leaving-open" className="text-lg">
        {say("when-folders-are-left-open")}
      </h2>
      <p className="mt-1 mb-2 text-sm text-mute">{say("forgetting-lock-is-normal-case")}</p>
      <RulesForm rules={preferences.rules} disabled={save.isPending} onChange={(rules) => save.mutate({ rules })} />
      <label className="mt-3 flex flex-wrap items-center gap-2 text-sm">
        {say("sign-out-when-page-was")}
        <select
          className="h-9 rounded-lg border border-line bg-sheet px-2.5"
          value={preferences.idleSignOutMinutes ?? ""}
          onChange={(event) =>
            save.mutate({ idleSignOutMinutes: event.target.value === "" ? null : Number(event.target.value) })
          }
        >
          {[
            [1, "a minute"],
            [5, "5 minutes"],
            [15, "15 minutes"],
            [60, say("hour")],
            [480, "8 hours"],
          ].map(([minutes, words]) => (
            <option key={minutes} value={minutes}>
              {words}
            </option>
          ))}
          <option value="">{say("never")}</option>
        </select>
      </label>
    </section>
  );
}

function runtimeWords({ kind, node, supportedUntil }: SettingsView["program"]): string {
  if (supportedUntil === null) return say("runtime-supported-until", { state: "unknown", kind, node, until: "" });
  const state = Date.parse(supportedUntil) > Date.now() ? "supported" : "over";
  return say("runtime-supported-until", {
    state,
    kind,
    node,
    until: new Date(supportedUntil).toLocaleDateString("en-GB", { dateStyle: "long" }),
  });
}

function Row({ term, children }: { readonly term: string; readonly children: ReactNode }): ReactNode {
  return (
    <div className="grid gap-x-4 border-b border-line/70 py-2.5 last:border-0 sm:grid-cols-[220px_minmax(0,1fr)]">
      <dt className="text-mute">{term}</dt>
      <dd className="font-medium wrap-anywhere">{children}</dd>
    </div>
  );
}
