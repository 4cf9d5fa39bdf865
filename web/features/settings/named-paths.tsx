"use client";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { PathList } from "./path-list";
import { PathField } from "@/parts/folders/path-field";
import { Button } from "@/ui/button";
import { ApiError } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { say } from "@eremos/words/page/settings";

interface NamedPathsProps {
  readonly id: string;
  readonly title: string;
  readonly about: string;
  /** Of the field for one more. */
  readonly label: string;
  readonly action: string;
  /** Those that are not the owner's to take off, and why they are there. */
  readonly before: readonly string[];
  readonly beforeNote: string;
  readonly own: readonly string[];
  readonly save: (own: readonly string[]) => Promise<unknown>;
}

/** Directories that the owner names, beside those that were there before. */
export function NamedPaths({
  id,
  title,
  about,
  label,
  action,
  before,
  beforeNote,
  own,
  save,
}: NamedPathsProps): ReactNode {
  const client = useQueryClient();
  const [typed, setTyped] = useState("");
  const saving = useMutation({
    mutationFn: save,
    onSettled: () => client.invalidateQueries({ queryKey: KEYS.settings }),
  });
  const path = typed.trim().replace(/(?<=.)\/+$/, "");
  return (
    <section aria-labelledby={id}>
      <h2 id={id} className="text-lg">
        {title}
      </h2>
      <p className="mt-1 text-sm text-mute">{about}</p>
      {before.length + own.length > 0 && (
        <PathList
          entries={[
            ...before.map((known) => ({ path: known, note: beforeNote, removable: false })),
            ...own.map((known) => ({ path: known, note: "", removable: true })),
          ]}
          pending={saving.isPending}
          onTakeOff={(off) => saving.mutate(own.filter((known) => known !== off))}
        />
      )}
      <form
        className="mt-3 flex flex-wrap items-start gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          saving.mutate([...own, path], { onSuccess: () => setTyped("") });
        }}
      >
        <PathField
          className="min-w-56 flex-1"
          label={label}
          wants="folder"
          path={typed}
          onPath={setTyped}
          problem={
            saving.error
              ? saving.error instanceof ApiError
                ? saving.error.message
                : say("that-did-not-work-nothing")
              : null
          }
        />
        <Button
          type="submit"
          className="mt-[26px] h-11"
          disabled={path === "" || [...before, ...own].includes(path) || saving.isPending}
        >
          {action}
        </Button>
      </form>
    </section>
  );
}
