"use client";
import { useMutation } from "@tanstack/react-query";
import { FileDown, Printer } from "lucide-react";
import type { ReactNode } from "react";
import type { ShownCode } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { showError } from "@/lib/queries";
import { savePdf } from "@/lib/save-pdf";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/secrets";

function CodeGroups({ code }: { readonly code: string }): ReactNode {
  return (
    <ol className="grid grid-cols-4 gap-2" aria-label={say("recovery-code")}>
      {code.split("-").map((group, i) => (
        <li key={group} className="rounded-lg border border-line bg-sheet px-2 py-2 text-center">
          <span className="block text-[11px] text-mute">{i + 1}</span>
          <span className="font-mono text-[17px] font-semibold tracking-wide">{group}</span>
        </li>
      ))}
    </ol>
  );
}

export const KEEP_CODE = {
  title: say("keep-your-recovery-code"),
  text: say("if-you-ever-forget-master"),
};

interface KeepCodeProps {
  readonly shown: ShownCode;
  readonly onKept: () => void;
}

export function KeepCode({ shown: { recoveryCode: code, isAnother }, onKept }: KeepCodeProps): ReactNode {
  const sheet = useMutation({
    mutationFn: async () => savePdf((await api.sheet(code)).pdf, say("eremos-recovery-sheet")),
    onError: showError,
  });
  return (
    <div className="print-alone">
      <div className="my-6">
        <CodeGroups code={code} />
      </div>
      <p className="hidden text-sm print:block">
        {say("eremos-recovery-code-it-opens", {
          toLocaleDateString: new Date().toLocaleDateString("en-GB", { dateStyle: "long" }),
        })}
      </p>
      {isAnother && <p className="no-print mb-3 text-sm font-medium text-ochre">{say("code-before-is-void")}</p>}
      <p className="no-print mb-3 text-[13px] text-mute">{say("sheet-has-code-as-qr")}</p>
      <div className="no-print flex flex-wrap gap-2">
        <Button size="large" disabled={sheet.isPending} onClick={() => sheet.mutate()}>
          <FileDown className="size-[18px]" aria-hidden />
          {say("save-sheet-pdf")}
        </Button>
        <Button size="large" onClick={() => window.print()}>
          <Printer className="size-[18px]" aria-hidden />
          {say("print-it")}
        </Button>
        <Button tone="dusk" size="large" className="flex-1" onClick={onKept}>
          {say("i-have-it-on-paper")}
        </Button>
      </div>
    </div>
  );
}
