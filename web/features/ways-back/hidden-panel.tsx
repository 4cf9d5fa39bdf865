"use client";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { HiddenView, HidingMeans } from "@eremos/server/contract";
import { LookForm, LookStatus, Unreadable } from "@/parts/returning/look-for";
import { useSelection } from "@/parts/folders/selection";
import { api } from "@/lib/api";
import { formatBytes } from "@/lib/format";
import { KEYS, useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Time } from "@/ui/time";
import { say } from "@eremos/words/page/ways-back";

const LOOK_EVERY_MS = 500;

const MEANS: Readonly<Record<HidingMeans, string>> = {
  dot: say("its-name-begins-with-dot"),
  list: say("it-stands-on-hidden-list"),
  blank: say("its-name-cant-be-seen"),
  "class-id": say("its-name-makes-another-system"),
  "no-read": say("you-may-not-read-it"),
  immutable: say("flag-lets-nobody-change-it"),
  attributes: say("volume-calls-it-hidden-or"),
  icon: say("it-has-icon-nothing-or"),
};

/** Finds what was hidden by hand, or by a script, and brings it back so that it can be hidden again as it was. */
export function HiddenPanel(): ReactNode {
  const client = useQueryClient();
  const view = useQuery({
    queryKey: KEYS.hidden,
    queryFn: api.hidden,
    staleTime: 0,
    refetchInterval: (query) => (query.state.data?.isRunning ? LOOK_EVERY_MS : false),
  }).data;
  const [isAll, setAll] = useState(false);
  const again = (): Promise<void> => client.invalidateQueries({ queryKey: KEYS.hidden });
  const start = useVerb(async (places: readonly string[] | null) => {
    await api.startHidden(places);
    await again();
  });
  const stop = useVerb(async () => {
    await api.stopHidden();
    await again();
  });
  if (!view) return null;
  const yours = view.found.filter(({ probably }) => probably !== "a program's");
  const shown = isAll ? view.found : yours;
  const programs = view.found.length - yours.length;
  return (
    <div>
      <LookForm
        of={view}
        action={say("look-for-hidden-things")}
        onStart={(places) => start.run(places)}
        onStop={() => stop.run()}
      />
      <LookStatus of={view} label={say("looking-for-hidden-things")} summary={summaryOf(view, yours.length)} />
      {view.scripts.length > 0 && (
        <ul aria-label={say("home-made-locks")} className="mt-3 space-y-2">
          {view.scripts.map((script) => (
            <li key={script.id}>
              <Script script={script} onDone={again} />
            </li>
          ))}
        </ul>
      )}
      {shown.length > 0 && (
        <ul
          aria-label={say("hidden-things")}
          className="mt-3 divide-y divide-line rounded-xl border border-line bg-sheet"
        >
          {shown.map((one) => (
            <li key={one.id}>
              <Found one={one} onDone={again} />
            </li>
          ))}
        </ul>
      )}
      {programs > 0 && (
        <button
          type="button"
          className="mt-2 text-sm font-medium text-dusk underline underline-offset-4"
          onClick={() => setAll(!isAll)}
        >
          {isAll ? say("leave-out-what-programs-keep") : say("show-things-that-programs-probably", { programs })}
        </button>
      )}
      <Unreadable paths={view.unreadable} />
      {view.brought.length > 0 && <BroughtBack brought={view.brought} onDone={again} />}
    </div>
  );
}

function summaryOf({ directories, scripts, isStopped }: HiddenView, yours: number): string {
  const what = yours === 0 ? say("nothing-hidden-that-is-probably") : say("hidden-things-that-are-probably", { yours });
  const locks = scripts.length === 0 ? "" : say("and-home-made-locks", { scripts: scripts.length });
  return say("in-directories-it-was-stopped", { what, locks, directories, isStopped });
}

interface DoneProps {
  readonly onDone: () => Promise<void>;
}

function Found({ one, onDone }: DoneProps & { readonly one: HiddenView["found"][number] }): ReactNode {
  const bring = useVerb(async () => {
    const { path } = await api.bringBack(one.id);
    toast.success(say("it-is-be-seen-again", { path }), { duration: 10_000 });
    await onDone();
  });
  const what =
    one.type === "file" ? formatBytes(one.bytes) : `${say("files", { files: one.files })}, ${formatBytes(one.bytes)}`;
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-2.5 text-sm">
      <div className="min-w-0 flex-1">
        <p className="truncate font-medium" title={one.path}>
          {one.shown}
        </p>
        <p className="text-[13px] text-mute">
          {say("probably", { means: one.means.map((means) => MEANS[means]).join("; "), what, probably: one.probably })}
          {one.shown.endsWith(`/${one.name}`) ? (
            ""
          ) : (
            <>
              {" "}
              {say("it-would-be-called")} <span className="font-medium text-ink">{one.name}</span>
            </>
          )}
        </p>
      </div>
      <Button
        size="small"
        disabled={bring.pending}
        onClick={() => bring.run()}
        aria-label={say("bring-back", { shown: one.shown })}
      >
        {say("bring-it-back")}
      </Button>
    </div>
  );
}

function Script({ script, onDone }: DoneProps & { readonly script: HiddenView["scripts"][number] }): ReactNode {
  const { protect } = useSelection();
  const undo = useVerb(async () => {
    const { path } = await api.undoScriptLock(script.id);
    toast.success(path === null ? say("script-is-gone-what-it") : say("folder-is-back-at-and", { path }), {
      duration: 15_000,
      ...(path === null ? {} : { action: { label: say("protect-it"), onClick: () => protect(path) } }),
    });
    await onDone();
  });
  return (
    <section aria-label={script.shown} className="rounded-xl border border-ochre/50 bg-ochre-soft px-4 py-3 text-sm">
      <p className="truncate font-medium" title={script.shown}>
        {say("home-made-lock", { shown: script.shown })}
      </p>
      <p className="mt-1">
        {say("it", { does: script.does.join(", and ") })}{" "}
        {script.hasPassword && <strong>{say("password-in-it-protects-nothing")} </strong>}
        {say("nothing-is-encrypted")}
      </p>
      <p className="mt-1 text-mute">
        {script.target === null ? say("what-it-hides-was-not") : say("it-hides", { target: script.target })}
      </p>
      <div className="mt-2">
        <Button size="small" tone="dusk" disabled={undo.pending} onClick={() => undo.run()}>
          {script.target === null ? say("remove-script") : say("bring-folder-back-and-remove")}
        </Button>
      </div>
    </section>
  );
}

function BroughtBack({ brought, onDone }: DoneProps & { readonly brought: HiddenView["brought"] }): ReactNode {
  const again = useVerb(async (id: string) => {
    await api.hideAgain(id);
    toast.success(say("it-is-hidden-again-as"));
    await onDone();
  });
  return (
    <div className="mt-4">
      <h3 className="font-sans text-sm font-semibold">{say("brought-back")}</h3>
      <ul
        aria-label={say("brought-back")}
        className="mt-1 divide-y divide-line/70 rounded-xl border border-line text-sm"
      >
        {brought.map(({ id, at, shown, now }) => (
          <li key={id} className="flex items-center gap-3 px-4 py-2">
            <p className="min-w-0 flex-1 truncate" title={shown}>
              <span className="font-medium">{now}</span>{" "}
              <span className="text-mute">
                <Time at={at} />
              </span>
            </p>
            <Button
              size="small"
              disabled={again.pending}
              onClick={() => again.run(id)}
              aria-label={say("hide-again", { now })}
            >
              {say("as-it-was")}
            </Button>
          </li>
        ))}
      </ul>
    </div>
  );
}
