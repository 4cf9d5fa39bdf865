"use client";
import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { ShownCode, SignedIn } from "@eremos/server/contract";
import { ChoosePassword } from "./choose-password";
import { EntranceFrame } from "./frame";
import { KEEP_CODE, KeepCode } from "@/parts/secrets/keep-code";
import { ReturnOwner } from "@/parts/returning/return-owner";
import { PROVE_CODE, ProveCode } from "@/parts/secrets/prove-code";
import { ApiError, api } from "@/lib/api";
import { cn } from "@/lib/cn";

type Step = "password" | "code" | "proof";
const STEPS: readonly (readonly [Step, string])[] = [
  ["password", "Master password"],
  ["code", "Recovery code"],
  ["proof", "Proof"],
];

export function FirstRun({ onDone }: { readonly onDone: (signedIn: SignedIn) => void }): ReactNode {
  const [isReturning, setReturning] = useState(false);
  if (isReturning)
    return (
      <EntranceFrame night={<ReturnNote />}>
        <ReturnOwner onDone={onDone} onBack={() => setReturning(false)} />
      </EntranceFrame>
    );
  return <FirstSteps onDone={onDone} onReturning={() => setReturning(true)} />;
}

function ReturnNote(): ReactNode {
  return (
    <>
      <h2 className="text-2xl leading-tight">Every locked folder carries all it needs.</h2>
      <p className="mt-3 text-sm text-night-mute">
        Eremos may be gone, or the computer: what is on the disk, and your password or your code, are enough to have
        everything back.
      </p>
    </>
  );
}

function FirstSteps({
  onDone,
  onReturning,
}: {
  readonly onDone: (signedIn: SignedIn) => void;
  readonly onReturning: () => void;
}): ReactNode {
  const [step, setStep] = useState<Step>("password");
  const [begun, setBegun] = useState<ShownCode | null>(null);
  const begin = useMutation({
    mutationFn: (chosen: { readonly password: string; readonly hint: string | null }) =>
      api.beginSetup(chosen.password, chosen.hint),
    onSuccess: (result) => {
      setBegun(result);
      setStep("code");
    },
  });
  const finish = useMutation({
    mutationFn: (groups: readonly string[]) => api.finishSetup(begun?.id ?? "", groups),
    onSuccess: onDone,
  });
  return (
    <EntranceFrame night={<NightNote step={step} />}>
      <ol className="no-print mb-8 flex gap-5 text-[13px]" aria-label="Steps">
        {STEPS.map(([name, label], i) => (
          <li
            key={name}
            aria-current={name === step ? "step" : undefined}
            className={cn(
              "border-t-2 border-line pt-2 text-mute",
              name === step && "border-dusk font-semibold text-dusk",
            )}
          >
            {i + 1}. {label}
          </li>
        ))}
      </ol>
      {step === "password" && (
        <ChoosePassword
          pending={begin.isPending}
          problem={messageOf(begin.error)}
          onChosen={(password, hint) => begin.mutate({ password, hint })}
        />
      )}
      {step === "password" && (
        <button
          type="button"
          onClick={onReturning}
          className="mt-5 text-sm font-medium text-dusk underline underline-offset-4"
        >
          I have folders that Eremos locked before, here or on another computer
        </button>
      )}
      {step === "code" && begun && (
        <>
          <StepHead {...KEEP_CODE} />
          <KeepCode code={begun.recoveryCode} onKept={() => setStep("proof")} />
        </>
      )}
      {step === "proof" && begun && (
        <>
          <StepHead {...PROVE_CODE} />
          <ProveCode
            ask={begun.ask}
            pending={finish.isPending}
            problem={messageOf(finish.error)}
            onBack={() => setStep("code")}
            onTyped={(groups) => finish.mutate(groups)}
          />
        </>
      )}
    </EntranceFrame>
  );
}

function StepHead({ title, text }: { readonly title: string; readonly text: string }): ReactNode {
  return (
    <header>
      <h1 className="text-3xl">{title}</h1>
      <p className="mt-2 text-mute">{text}</p>
    </header>
  );
}

function messageOf(error: unknown): string | null {
  if (!error) return null;
  return error instanceof ApiError ? error.message : "That did not work. Nothing was written; try again.";
}

const NIGHT: Readonly<Record<Step, readonly [string, string]>> = {
  password: [
    "One password stands between your folders and everybody else.",
    "Nobody can look it up or reset it, and neither can we. That is why the next step gives you a second way in.",
  ],
  code: [
    "The code opens everything without the password.",
    "Keep it where you keep your papers, not on this computer. It is shown this one time.",
  ],
  proof: [
    "A way back is worth something only if it is there.",
    "So we ask for a part of it now, while nothing depends on it.",
  ],
};

function NightNote({ step }: { readonly step: Step }): ReactNode {
  const [title, text] = NIGHT[step];
  return (
    <>
      <h2 className="text-2xl leading-tight">{title}</h2>
      <p className="mt-3 text-sm text-night-mute">{text}</p>
    </>
  );
}
