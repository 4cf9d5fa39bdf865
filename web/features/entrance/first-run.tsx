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
import { say } from "@eremos/words/page/entrance";

type Step = "password" | "code" | "proof";
const STEPS: readonly (readonly [Step, string])[] = [
  ["password", say("master-password")],
  ["code", say("recovery-code")],
  ["proof", say("proof")],
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
      <h2 className="text-2xl leading-tight">{say("every-locked-folder-carries-all")}</h2>
      <p className="mt-3 text-sm text-night-mute">{say("eremos-may-be-gone-or")}</p>
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
      <ol className="no-print mb-8 flex gap-5 text-[13px]" aria-label={say("steps")}>
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
          {say("i-have-folders-that-eremos")}
        </button>
      )}
      {step === "code" && begun && (
        <>
          <StepHead {...KEEP_CODE} />
          <KeepCode shown={begun} onKept={() => setStep("proof")} />
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
  return error instanceof ApiError ? error.message : say("that-did-not-work-nothing");
}

const NIGHT: Readonly<Record<Step, readonly [string, string]>> = {
  password: [say("one-password-stands-between-your"), say("nobody-can-look-it-up")],
  code: [say("code-opens-everything-without-password"), say("keep-it-where-you-keep")],
  proof: [say("way-back-is-worth-something"), say("so-we-ask-for-part")],
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
