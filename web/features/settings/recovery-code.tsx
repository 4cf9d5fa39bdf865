"use client";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { SettingsView, ShownCode } from "@eremos/server/contract";
import { KEEP_CODE, KeepCode } from "@/parts/secrets/keep-code";
import { PROVE_CODE, ProveCode } from "@/parts/secrets/prove-code";
import { CurrentPassword } from "@/parts/secrets/current-password";
import { api } from "@/lib/api";
import { count } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";

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
          ? "The new recovery code holds, in every folder."
          : `The new recovery code holds. ${count(left.length, "folder")} still ${left.length === 1 ? "opens" : "open"} with the old one, named on this page.`,
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
            title: "A new recovery code",
            text: "The present code holds until you have proven that you kept the new one. Copies of folders made earlier go on opening with the old one: keep its sheet as safe as the new one.",
          };
  return (
    <section aria-labelledby="recovery-code">
      <h2 id="recovery-code" className="text-lg">
        Recovery code
      </h2>
      <p className="mt-1 text-sm text-mute">
        It opens everything without the master password, also folders with a password of their own. It can&rsquo;t be
        shown again, only replaced.
      </p>
      {settings.withEarlierCode.length > 0 && (
        <div className="mt-2 rounded-xl bg-ochre-soft px-4 py-3 text-sm text-ochre">
          <p>
            Keep the earlier sheet: it still opens{" "}
            {settings.withEarlierCode.length === 1
              ? "this folder, which has a password of its own"
              : "these folders, which have passwords of their own"}
            . At the next opening the new code takes over.
          </p>
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
        New code…
      </Button>
      <Dialog open={step !== null} onOpenChange={(open) => !open && close()} title={head.title} description={head.text}>
        {step === "password" && <CurrentPassword action="Show me the new code" verb={begin} onCancel={close} />}
        {step === "code" && shown && <KeepCode code={shown.recoveryCode} onKept={() => setStep("proof")} />}
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
