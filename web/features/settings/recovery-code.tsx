"use client";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { SettingsView, ShownCode } from "@eremos/server/contract";
import { KEEP_CODE, KeepCode } from "@/parts/secrets/keep-code";
import { PROVE_CODE, ProveCode } from "@/parts/secrets/prove-code";
import { CurrentPassword } from "@/parts/secrets/current-password";
import { api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { say } from "@eremos/words/page/settings";

/** The way back beside the master password: another code, and which folders the old one still opens. */
export function RecoveryCode({ settings }: { readonly settings: SettingsView }): ReactNode {
  const [step, setStep] = useState<"password" | "code" | "proof" | null>(null);
  const [shown, setShown] = useState<ShownCode | null>(null);
  const close = (): void => {
    setStep(null);
    setShown(null);
  };
  const begin = useGuarded(api.beginNewCode, (code) => {
    setShown(code);
    setStep("code");
  });
  const finish = useGuarded(
    (groups: readonly string[]) => api.finishNewCode(shown?.id ?? "", groups),
    ({ left }) => {
      toast(
        left.length === 0
          ? say("new-recovery-code-holds-in")
          : say("new-recovery-code-holds-folders", { left: left.length }),
        { duration: 12_000 },
      );
      close();
    },
  );
  const head =
    step === "code"
      ? KEEP_CODE
      : step === "proof"
        ? PROVE_CODE
        : {
            title: say("new-recovery-code"),
            text: say("present-code-holds-until-you"),
          };
  return (
    <section aria-labelledby="recovery-code">
      <h2 id="recovery-code" className="text-lg">
        {say("recovery-code")}
      </h2>
      <p className="mt-1 text-sm text-mute">{say("it-opens-everything-without-master")}</p>
      {settings.withEarlierCode.length > 0 && (
        <div className="mt-2 rounded-xl bg-ochre-soft px-4 py-3 text-sm text-ochre">
          <p>{say("keep-earlier-sheet-it-still", { withEarlierCode: settings.withEarlierCode.length })}</p>
          <ul className="mt-1">
            {settings.withEarlierCode.map((folder) => (
              <li key={folder.id} className="truncate font-medium" title={folder.path}>
                {folder.path}
              </li>
            ))}
          </ul>
        </div>
      )}
      <Button className="mt-3" onClick={() => setStep("password")}>
        {say("new-code")}
      </Button>
      <Dialog open={step !== null} onOpenChange={(open) => !open && close()} title={head.title} description={head.text}>
        {step === "password" && <CurrentPassword action={say("show-me-new-code")} verb={begin} onCancel={close} />}
        {step === "code" && shown && <KeepCode shown={shown} onKept={() => setStep("proof")} />}
        {step === "proof" && shown && (
          <ProveCode
            ask={shown.ask}
            pending={finish.pending}
            problem={finish.problem}
            onBack={() => setStep("code")}
            onTyped={finish.run}
          />
        )}
      </Dialog>
    </section>
  );
}
