"use client";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type ReactNode, useDeferredValue, useState } from "react";
import { PictureReader } from "./picture-reader";
import { api } from "@/lib/api";
import { Field } from "@/ui/field";
import { say } from "@eremos/words/page/secrets";

interface CodeFieldProps {
  readonly value: string;
  readonly onChange: (code: string) => void;
  readonly problem: string | null;
  readonly autoFocus?: boolean;
}

/** The recovery code, as it is typed from the sheet: groups that can't be right are named at once. */
export function CodeField({ value, onChange, problem, autoFocus = false }: CodeFieldProps): ReactNode {
  const looked = useDeferredValue(value);
  const [edits, setEdits] = useState(0);
  // The code itself is no cache key.
  const wrong =
    useQuery({
      queryKey: ["code-check", edits],
      queryFn: () => api.checkCode(looked),
      enabled: looked.length >= 5,
      placeholderData: keepPreviousData,
      gcTime: 0,
    }).data?.wrong ?? [];
  const mistyped =
    value.length < 5 || wrong.length === 0
      ? null
      : say("groups-look-again-something-is", {
          wrong: wrong.length,
          groups: wrong.map((group) => group + 1).join(", "),
        });
  const type = (code: string): void => {
    setEdits(edits + 1);
    onChange(code);
  };
  return (
    <div>
      <Field
        label={say("recovery-code")}
        autoFocus={autoFocus}
        autoComplete="off"
        spellCheck={false}
        className="[&_input]:font-mono [&_input]:uppercase"
        value={value}
        problem={mistyped ?? problem}
        note={say("eight-groups-five-from-your")}
        onChange={(event) => type(event.target.value)}
      />
      <PictureReader onRead={type} />
    </div>
  );
}
