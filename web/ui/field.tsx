"use client";
import { Eye, EyeOff } from "lucide-react";
import { type InputHTMLAttributes, type ReactNode, type Ref, useId, useState } from "react";
import { cn } from "@/lib/cn";
import { say } from "@eremos/words/page/shell";

interface FieldProps extends InputHTMLAttributes<HTMLInputElement> {
  readonly label: string;
  readonly note?: ReactNode;
  readonly problem?: string | null | undefined;
  readonly ref?: Ref<HTMLInputElement>;
}

const INPUT =
  "h-11 w-full rounded-lg border border-line-strong/70 bg-sheet px-3 text-[15px] placeholder:text-mute/80 focus-visible:outline-2 focus-visible:outline-dusk";

export function Field({ label, note, problem, className, ...rest }: FieldProps): ReactNode {
  const id = useId();
  return (
    <div className={className}>
      <label htmlFor={id} className="mb-1.5 block text-sm font-semibold">
        {label}
      </label>
      <input
        id={id}
        className={cn(INPUT, problem && "border-oxblood")}
        aria-invalid={Boolean(problem)}
        aria-describedby={`${id}-note`}
        {...rest}
      />
      <FieldNote id={`${id}-note`} note={note} problem={problem} />
    </div>
  );
}

/** A password that can be shown while typing. */
export function PasswordField({ label, note, problem, className, ...rest }: FieldProps): ReactNode {
  const id = useId();
  const [shown, setShown] = useState(false);
  return (
    <div className={className}>
      <label htmlFor={id} className="mb-1.5 block text-sm font-semibold">
        {label}
      </label>
      <div className="relative">
        <input
          id={id}
          type={shown ? "text" : "password"}
          autoCapitalize="off"
          spellCheck={false}
          className={cn(INPUT, "pr-12", problem && "border-oxblood")}
          aria-invalid={Boolean(problem)}
          aria-describedby={`${id}-note`}
          {...rest}
        />
        <button
          type="button"
          onClick={() => setShown(!shown)}
          aria-pressed={shown}
          aria-label={shown ? say("hide-password") : say("show-password")}
          className="absolute top-1 right-1 grid size-9 place-items-center rounded-md text-mute hover:text-ink"
        >
          {shown ? <EyeOff className="size-[18px]" aria-hidden /> : <Eye className="size-[18px]" aria-hidden />}
        </button>
      </div>
      <FieldNote id={`${id}-note`} note={note} problem={problem} />
    </div>
  );
}

/** What a field needs said: what is wrong, or what it is for. */
export function FieldNote({
  id,
  note,
  problem,
}: {
  readonly id: string;
  readonly note?: ReactNode;
  readonly problem?: string | null | undefined;
}): ReactNode {
  return (
    <div id={id} aria-live="polite" className="text-[13px]">
      {problem ? (
        <p className="mt-1.5 text-oxblood">{problem}</p>
      ) : note ? (
        <div className="mt-1.5 text-mute">{note}</div>
      ) : null}
    </div>
  );
}
