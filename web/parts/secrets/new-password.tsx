"use client";
import { type ReactNode, useDeferredValue, useState } from "react";
import type { StrengthView } from "@eremos/server/contract";
import { Field, PasswordField } from "@/ui/field";
import { cn } from "@/lib/cn";
import { useStrength } from "./use-strength";
import { say } from "@eremos/words/page/secrets";

export interface NewPassword {
  readonly password: string;
  readonly hint: string | null;
  /** Typed twice alike, and not refused. */
  readonly ready: boolean;
}

export const AT_THE_GATE = say("shown-anybody-who-stands-at");
export const IN_THE_FOLDER = say("it-stands-readable-in-folder");

interface Asked {
  readonly label: string;
  /** Who can read the hint. */
  readonly hintNote: string;
  readonly autoFocus?: boolean;
}

/** A new password, typed twice, with what guessing it would cost, and its hint: the fields, and what they hold. */
export function useNewPassword({ label, hintNote, autoFocus = false }: Asked): {
  readonly chosen: NewPassword;
  readonly fields: ReactNode;
} {
  const [password, setPassword] = useState("");
  const [again, setAgain] = useState("");
  const [hint, setHint] = useState("");
  const strength = useStrength(useDeferredValue(password));
  const fields = (
    <>
      <div>
        <PasswordField
          label={label}
          autoFocus={autoFocus}
          autoComplete="new-password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
        />
        {password !== "" && strength && <Strength strength={strength} />}
      </div>
      <PasswordField
        label={say("same-again")}
        autoComplete="new-password"
        value={again}
        onChange={(event) => setAgain(event.target.value)}
        problem={again !== "" && again !== password ? say("two-are-not-same-yet") : null}
      />
      <Field
        label={say("hint-optional")}
        maxLength={200}
        autoComplete="off"
        value={hint}
        onChange={(event) => setHint(event.target.value)}
        note={say("hint-that-gives-password-away", { hintNote })}
      />
    </>
  );
  const ready = password !== "" && again === password && strength?.refusal === null;
  return { chosen: { password, hint: hint.trim() === "" ? null : hint.trim(), ready }, fields };
}

const WORDS = [say("guessed-at-once"), say("weak"), say("fair"), say("good"), say("very-good")] as const;
const BARS = ["bg-oxblood", "bg-oxblood", "bg-ochre", "bg-dusk", "bg-dusk"] as const;

/** `of`: what somebody has who guesses, the disk or the package. */
export function Strength({
  strength,
  of = "disk",
}: {
  readonly strength: StrengthView;
  readonly of?: "disk" | "package";
}): ReactNode {
  const { score, guessTime, refusal, warning, suggestions } = strength;
  return (
    <div className="mt-2" aria-live="polite">
      <div className="flex gap-1" aria-hidden="true">
        {[0, 1, 2, 3].map((bar) => (
          <span key={bar} className={cn("h-1 flex-1 rounded-full bg-sand", bar < Math.max(1, score) && BARS[score])} />
        ))}
      </div>
      <p className="mt-1.5 text-[13px]">
        <span className="font-semibold">{WORDS[score]}.</span>{" "}
        <span className="text-mute">{say("time-guess-it-for-somebody", { guessTime, of })}</span>
      </p>
      {(refusal ?? warning ?? suggestions[0]) && (
        <p className={cn("mt-0.5 text-[13px]", refusal ? "text-oxblood" : "text-mute")}>
          {refusal ?? warning ?? suggestions[0]}
        </p>
      )}
    </div>
  );
}
