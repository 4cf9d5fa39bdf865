"use client";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { NoticeKind, NoticesPreference, SettingsView } from "@eremos/server/contract";
import { SmallField } from "@/ui/small-field";
import { Select } from "@/ui/select";
import { Tick } from "@/ui/tick";
import { api } from "@/lib/api";
import { KEYS, showError } from "@/lib/queries";
import { say } from "@eremos/words/page/settings";

const KINDS: readonly (readonly [NoticeKind, string])[] = [
  ["waiting", say("notice-waiting")],
  ["locked", say("notice-locked")],
  ["tries", say("notice-tries")],
  ["damaged", say("notice-damaged")],
  ["practice", say("notice-practice")],
];
const NAMES: readonly (readonly [NoticesPreference["names"], string])[] = [
  ["never", say("names-never")],
  ["unlocked", say("names-unlocked")],
  ["always", say("names-always")],
];
const USUAL_QUIET = { from: 22 * 60, until: 7 * 60 };

/** "07:30", as a field for a time of day has it. */
function clockOf(minutes: number): string {
  return [Math.floor(minutes / 60), minutes % 60].map((part) => String(part).padStart(2, "0")).join(":");
}

/** null: not yet a whole time of day. */
function minutesOf(clock: string): number | null {
  const [, hours, minutes] = /^(\d\d):(\d\d)/.exec(clock) ?? [];
  return hours === undefined || minutes === undefined ? null : Number(hours) * 60 + Number(minutes);
}

/**
 * Saves each change at once, made of what was chosen last: who is quicker than the server loses none of them. The page
 * shows it meanwhile.
 */
function useSaving(): (change: (now: NoticesPreference) => Partial<NoticesPreference>) => void {
  const client = useQueryClient();
  const mutationKey = ["notices"];
  const shown = (): SettingsView | undefined => client.getQueryData<SettingsView>(KEYS.settings);
  const { mutate } = useMutation({
    mutationKey,
    // One after the other, in their order.
    scope: { id: "notices" },
    mutationFn: (notices: NoticesPreference) => api.setPreferences({ notices }),
    onError: showError,
    onSettled: () =>
      client.isMutating({ mutationKey }) === 1 ? client.invalidateQueries({ queryKey: KEYS.settings }) : undefined,
  });
  return (change) => {
    const settings = shown();
    if (!settings) return;
    const { preferences } = settings;
    const notices = { ...preferences.notices, ...change(preferences.notices) };
    void client.cancelQueries({ queryKey: KEYS.settings });
    client.setQueryData<SettingsView>(KEYS.settings, { ...settings, preferences: { ...preferences, notices } });
    mutate(notices);
  };
}

/** What the desktop tells of while nobody looks at the page. */
export function NoticesSection({ notices }: { readonly notices: NoticesPreference }): ReactNode {
  const save = useSaving();
  const { kinds, quiet, names } = notices;
  const set = (kind: NoticeKind, on: boolean): void =>
    save((now) => ({
      kinds: KINDS.map(([one]) => one).filter((one) => (one === kind ? on : now.kinds.includes(one))),
    }));
  const setQuiet = (end: "from" | "until", clock: string): void => {
    const minutes = minutesOf(clock);
    if (minutes !== null) save((now) => ({ quiet: now.quiet && { ...now.quiet, [end]: minutes } }));
  };
  return (
    <section aria-labelledby="notices">
      <h2 id="notices" className="text-lg">
        {say("notifications")}
      </h2>
      <p className="mt-1 mb-2 text-sm text-mute">{say("your-desktop-tells-you-when")}</p>
      <div className="grid gap-2 rounded-xl border border-line bg-sheet p-4">
        {KINDS.map(([kind, label]) => (
          <Tick key={kind} label={label} value={kinds.includes(kind)} onChange={(on) => set(kind, on)} />
        ))}
        <Tick
          label={say("quiet-hours")}
          value={quiet !== null}
          onChange={(on) => save(() => ({ quiet: on ? USUAL_QUIET : null }))}
          className="mt-2 border-t border-line/70 pt-3"
        />
        {quiet && (
          <div className="flex flex-wrap gap-3 pl-6">
            <SmallField
              label={say("quiet-from")}
              type="time"
              value={clockOf(quiet.from)}
              onChange={(clock) => setQuiet("from", clock)}
            />
            <SmallField
              label={say("quiet-until")}
              type="time"
              value={clockOf(quiet.until)}
              onChange={(clock) => setQuiet("until", clock)}
            />
          </div>
        )}
        <div className="mt-2 border-t border-line/70 pt-3">
          <Select
            label={say("folders-names-in-them")}
            value={names}
            choices={NAMES}
            onChoose={(chosen) => save(() => ({ names: chosen }))}
            className="max-w-md"
          />
        </div>
      </div>
    </section>
  );
}
