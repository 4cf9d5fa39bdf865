"use client";
import { type ReactNode, useState } from "react";
import { Button } from "@/ui/button";
import { Field } from "@/ui/field";
import { ProgressBar } from "@/ui/progress-bar";
import { say } from "@eremos/words/page/returning";

/** What every search of the disk tells while it goes on, and after. */
interface Looking {
  readonly isRunning: boolean;
  readonly endedAt: number | null;
  readonly at: string;
  readonly directories: number;
  readonly error: string | null;
}

interface LookFormProps {
  readonly of: Pick<Looking, "isRunning" | "endedAt">;
  /** On the button, before it was ever looked. */
  readonly action: string;
  /** Null: the person's own places. */
  readonly onStart: (places: readonly string[] | null) => void;
  readonly onStop: () => void;
}

/** Where on the disk to look, and the button that begins or ends it. */
export function LookForm({ of, action, onStart, onStop }: LookFormProps): ReactNode {
  const [place, setPlace] = useState("");
  return (
    <form
      className="flex flex-wrap items-start gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        onStart(place.trim() === "" ? null : [place.trim()]);
      }}
    >
      <Field
        className="min-w-64 flex-1"
        label={say("where-look")}
        value={place}
        placeholder={say("your-places")}
        onChange={(event) => setPlace(event.target.value)}
        autoComplete="off"
        spellCheck={false}
        note={say("leave-it-empty-for-your")}
      />
      {of.isRunning ? (
        <Button className="mt-[26px] h-11" onClick={onStop}>
          {say("stop")}
        </Button>
      ) : (
        <Button tone="dusk" type="submit" className="mt-[26px] h-11">
          {of.endedAt === null ? action : say("look-again")}
        </Button>
      )}
    </form>
  );
}

interface LookStatusProps {
  readonly of: Looking;
  readonly label: string;
  /** Once it has ended. */
  readonly summary: string;
}

export function LookStatus({ of, label, summary }: LookStatusProps): ReactNode {
  return (
    <div role="status" className="mt-3 text-sm">
      {of.isRunning && (
        <>
          <ProgressBar part={null} label={label} />
          <p className="mt-1.5 truncate text-[13px] text-mute">
            {say("directories-looked-at-now", { directories: of.directories, at: of.at })}
          </p>
        </>
      )}
      {!of.isRunning && of.endedAt !== null && <p>{summary}</p>}
      {of.error && <p className="text-oxblood">{of.error}</p>}
    </div>
  );
}

/** Directories that were skipped, by name: nothing is left out silently. */
export function Unreadable({
  paths,
  why = null,
}: {
  readonly paths: readonly string[];
  readonly why?: string | null;
}): ReactNode {
  if (paths.length === 0) return null;
  return (
    <details className="mt-3 text-[13px] text-mute">
      <summary className="cursor-pointer">
        {say("directories-could-not-be-looked", { paths: paths.length, isWhy: Boolean(why), why })}
      </summary>
      <ul className="mt-1 max-h-48 overflow-y-auto pl-4">
        {paths.map((path) => (
          <li key={path} className="break-all">
            {path}
          </li>
        ))}
      </ul>
    </details>
  );
}
