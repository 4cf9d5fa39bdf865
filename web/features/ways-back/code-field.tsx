"use client";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { QrCode } from "lucide-react";
import { type ReactNode, useDeferredValue, useRef, useState } from "react";
import { readQr } from "./read-qr";
import { api } from "@/lib/api";
import { Field } from "@/ui/field";

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
  const wrong = useQuery({ queryKey: ["code-check", edits], queryFn: () => api.checkCode(looked), enabled: looked.length >= 5, placeholderData: keepPreviousData, gcTime: 0 }).data?.wrong ?? [];
  const mistyped = value.length < 5 || wrong.length === 0 ? null : `${wrong.length === 1 ? "Group" : "Groups"} ${wrong.map((group) => group + 1).join(", ")}: look again, something is mistyped.`;
  const picker = useRef<HTMLInputElement>(null);
  const [isUnread, setUnread] = useState(false);
  const type = (code: string): void => {
    setEdits(edits + 1);
    setUnread(false);
    onChange(code);
  };
  const read = async (picture: File | undefined): Promise<void> => {
    const code = picture && (await readQr(picture));
    if (code) type(code);
    else setUnread(true);
  };
  return (
    <div>
      <Field label="Recovery code" autoFocus={autoFocus} autoComplete="off" spellCheck={false} className="[&_input]:font-mono [&_input]:uppercase" value={value} problem={mistyped ?? problem} note="Eight groups of five, from your recovery sheet. Capitals, spaces and dashes don&rsquo;t matter."
      onChange={(event) => type(event.target.value)} />
      <button type="button" className="mt-2 inline-flex items-center gap-1.5 text-sm font-medium text-dusk underline underline-offset-4" onClick={() => picker.current?.click()}><QrCode className="size-4" aria-hidden />Read it from a picture of the sheet</button>
      <input ref={picker} type="file" accept="image/*" hidden aria-label="Picture of the sheet" onChange={(event) => {
        void read(event.target.files?.[0]);
        event.target.value = "";
      }} />
      {isUnread && <p role="alert" className="mt-1.5 text-[13px] text-oxblood">No code could be read in that picture. Take it straight from above, in good light, or type the groups.</p>}
    </div>
  );
}
