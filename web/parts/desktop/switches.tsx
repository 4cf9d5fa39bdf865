"use client";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Switch } from "radix-ui";
import { type ReactNode, useId } from "react";
import type { DesktopView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { KEYS, showError } from "@/lib/queries";
import { say } from "@eremos/words/page/settings";

const PARTS: readonly (readonly [keyof DesktopView, string, string])[] = [
  ["menu", say("in-file-manager"), say("lock-with-eremos-and-open")],
  ["marks", say("marks-in-file-manager"), say("a-doorway-on-locked-folders")],
  ["start", say("start-at-log-in"), say("what-crash-or-power-cut")],
  ["applications", say("among-applications"), say("entry-that-starts-eremos-and")],
];

/** Plain files in the account's own directories; each can be taken away again. */
export function DesktopSwitches(): ReactNode {
  const client = useQueryClient();
  const settings = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data;
  /** A package put it among the applications of every account. */
  const cameWithPackage = (part: keyof DesktopView): boolean =>
    part === "applications" && settings?.program.kind === "system";
  const parts = useQuery({ queryKey: KEYS.desktop, queryFn: api.desktop }).data;
  const set = useMutation({
    mutationFn: ({ part, on }: { part: keyof DesktopView; on: boolean }) => api.setDesktop(part, on),
    onSuccess: (now) => client.setQueryData(KEYS.desktop, now),
    onError: showError,
  });
  return (
    <div className="mt-2 divide-y divide-line/70 rounded-xl border border-line bg-sheet px-4">
      {PARTS.map(([part, title, text]) => (
        <Part
          key={part}
          title={title}
          text={cameWithPackage(part) ? say("came-with-the-package") : text}
          on={parts?.[part] ?? false}
          disabled={!parts || set.isPending || cameWithPackage(part)}
          onChange={(on) => set.mutate({ part, on })}
        />
      ))}
      <ShortcutPart />
    </div>
  );
}

const LOOK_EVERY_MS = 2000;

/** The desktop asks for the keys in a window of its own. */
function ShortcutPart(): ReactNode {
  const client = useQueryClient();
  const isOn = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data?.preferences.shortcut ?? false;
  const shortcut = useQuery({
    queryKey: KEYS.shortcut,
    queryFn: api.shortcut,
    refetchInterval: ({ state }) => (isOn && state.data?.isOffered && state.data.keys === null ? LOOK_EVERY_MS : false),
  }).data;
  const set = useMutation({
    mutationFn: (on: boolean) => api.setPreferences({ shortcut: on }),
    onSuccess: () =>
      Promise.all([KEYS.settings, KEYS.shortcut].map((queryKey) => client.invalidateQueries({ queryKey }))),
    onError: showError,
  });
  const keys = shortcut?.keys ?? null;
  const text = isOn
    ? keys === null
      ? say("choose-the-keys-there")
      : say("these-keys-lock", { keys })
    : say("keys-that-lock");
  return (
    <Part
      title={say("shortcut-for-close-up")}
      text={shortcut && !shortcut.isOffered ? say("desktop-gives-no-keys") : text}
      on={isOn}
      disabled={!shortcut || set.isPending || (!shortcut.isOffered && !isOn)}
      onChange={(on) => set.mutate(on)}
    />
  );
}

interface PartProps {
  readonly title: string;
  readonly text: string;
  readonly on: boolean;
  readonly disabled: boolean;
  readonly onChange: (on: boolean) => void;
}

function Part({ title, text, on, disabled, onChange }: PartProps): ReactNode {
  const id = useId();
  return (
    <div className="flex items-center justify-between gap-4 py-3">
      <label htmlFor={id} className="text-sm">
        <span className="font-semibold">{title}</span>
        <span className="block text-[13px] text-mute">{text}</span>
      </label>
      <Switch.Root
        id={id}
        checked={on}
        disabled={disabled}
        onCheckedChange={onChange}
        className="h-6 w-10 shrink-0 rounded-full border border-line-strong bg-sand px-0.5 data-[state=checked]:border-dusk data-[state=checked]:bg-dusk"
      >
        <Switch.Thumb className="block size-4.5 rounded-full bg-sheet shadow transition-transform data-[state=checked]:translate-x-4" />
      </Switch.Root>
    </div>
  );
}
