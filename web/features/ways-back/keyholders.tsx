"use client";
import { useQuery } from "@tanstack/react-query";
import { FileDown, Mail, UserRoundPen } from "lucide-react";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { KeyholdersView, PasswordChanged } from "@eremos/server/contract";
import { MailServerDialog } from "./mail-server-dialog";
import { NameKeyholders } from "./name-keyholders";
import { CurrentPassword } from "@/parts/secrets/current-password";
import { api } from "@/lib/api";
import { count } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { KEYS, useVerb } from "@/lib/queries";
import { savePdf } from "@/lib/save-pdf";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { Time } from "@/ui/time";

type Step =
  | { readonly kind: "name"; /** Whose place is to be taken by somebody else. */ readonly replaced: number | null }
  | { readonly kind: "drop" }
  | { readonly kind: "mail" };

/** People who each hold one share; any few of them together open what the owner can't any more. */
export function KeyholdersSection(): ReactNode {
  const data = useQuery({ queryKey: KEYS.keyholders, queryFn: api.keyholders }).data;
  const [step, setStep] = useState<Step | null>(null);
  const close = (): void => setStep(null);
  const done =
    (words: string) =>
    ({ left }: PasswordChanged): void => {
      if (left.length === 0) toast.success(words, { duration: 10_000 });
      else
        toast.warning(
          `${words} Not so yet: ${left.map(({ name }) => name).join(", ")}. What is away follows by itself when it is back; a folder with a password of its own, when you open it.`,
          { duration: 20_000 },
        );
      close();
    };
  const drop = useGuarded(api.dropKeyholders, done("There are no keyholders any more: their shares open nothing now."));
  const keyholders = data?.keyholders ?? null;
  return (
    <section id="keyholders" aria-labelledby="keyholders-head" className="mt-8">
      <h2 id="keyholders-head" className="text-lg">
        Keyholders
      </h2>
      <p className="mt-1 text-sm text-mute">
        People you trust each keep one share. A few of them together, as many as you say, open everything of yours;
        fewer open nothing, and learn nothing.
      </p>
      {data && keyholders && <Holders keyholders={keyholders} onStep={setStep} />}
      {data && (
        <div className="mt-3 flex flex-wrap gap-2">
          <Button onClick={() => setStep({ kind: "name", replaced: null })}>
            {keyholders ? "Name others…" : "Name keyholders…"}
          </Button>
          {keyholders && <Button onClick={() => setStep({ kind: "drop" })}>No keyholders any more…</Button>}
          {keyholders && <Button onClick={() => setStep({ kind: "mail" })}>Mail server…</Button>}
        </div>
      )}
      <Dialog
        open={step?.kind === "name"}
        onOpenChange={(open) => !open && close()}
        title={keyholders ? "Other keyholders" : "Name keyholders"}
        description={
          keyholders
            ? "Everybody gets a new share, those who stay, too: the earlier shares stop working wherever Eremos can reach. Copies and drives that are away keep opening with them."
            : "Choose people who would come together for you, and not without you. Nothing is sent before you say so."
        }
      >
        <NameKeyholders
          before={keyholders}
          replaced={step?.kind === "name" ? step.replaced : null}
          onDone={done("The keyholders are named. Now hand out the shares: each on its sheet, or by mail.")}
          onCancel={close}
        />
      </Dialog>
      <Dialog
        open={step?.kind === "drop"}
        onOpenChange={(open) => !open && close()}
        title="No keyholders any more"
        description="Their shares stop working wherever Eremos can reach. Copies and drives that are away keep opening with them. Master password and recovery code stay as they are."
      >
        <CurrentPassword action="End their shares" verb={drop} onCancel={close} />
      </Dialog>
      <MailServerDialog open={step?.kind === "mail"} onClose={close} />
    </section>
  );
}

function Holders({
  keyholders,
  onStep,
}: {
  readonly keyholders: KeyholdersView;
  readonly onStep: (step: Step) => void;
}): ReactNode {
  const { holders, threshold, count: all, provenAt, withEarlier } = keyholders;
  return (
    <div className="mt-3">
      <p className="text-sm">
        Any{" "}
        <strong>
          {threshold} of {all}
        </strong>{" "}
        together open.{" "}
        {provenAt === null ? (
          <>
            Not tried yet: bring {threshold} together in a{" "}
            <a href="#practice" className="text-dusk underline underline-offset-4">
              practice run
            </a>
            .
          </>
        ) : (
          <>
            Tried <Time at={provenAt} />.
          </>
        )}
      </p>
      {withEarlier.length > 0 && (
        <p className="mt-2 rounded-xl bg-ochre-soft px-4 py-3 text-sm text-ochre">
          {count(withEarlier.length, "folder has", "folders have")} a password of{" "}
          {withEarlier.length === 1 ? "its" : "their"} own, and {withEarlier.length === 1 ? "takes" : "take"} these
          shares from the next opening on: {withEarlier.map(({ name }) => name).join(", ")}.
        </p>
      )}
      {holders === null ? (
        <p className="mt-2 text-sm">
          They were named on another computer, and their names are known there only. Their shares work; name others to
          hand out new ones.
        </p>
      ) : (
        <ul
          className="mt-3 divide-y divide-line rounded-xl border border-line bg-sheet text-sm"
          aria-label="Keyholders"
        >
          {holders.map((holder) => (
            <HolderRow key={holder.number} holder={holder} canMail={keyholders.mailServer !== null} onStep={onStep} />
          ))}
        </ul>
      )}
      <p className="mt-2 text-[13px] text-mute">
        A share that was lost is printed again. Mail is read by whoever carries it: handing a sheet over is safer, and
        deleting the mail after printing is the least.
      </p>
    </div>
  );
}

interface HolderRowProps {
  readonly holder: NonNullable<KeyholdersView["holders"]>[number];
  /** Eremos knows by which server mail leaves. */
  readonly canMail: boolean;
  readonly onStep: (step: Step) => void;
}

function HolderRow({ holder, canMail, onStep }: HolderRowProps): ReactNode {
  const { number, name, mail: address, handedAt, by } = holder;
  const sheet = useVerb(async () => savePdf((await api.shareSheet(number)).pdf, `Eremos share for ${name}`));
  const mail = useVerb(async () => {
    await api.mailShare(number);
    toast.success(`The mail server has taken ${name}’s share.`);
  });
  return (
    <li className="flex flex-wrap items-center gap-x-3 gap-y-1 px-4 py-2.5">
      <div className="min-w-0 flex-1">
        <p className="truncate font-medium" title={name}>
          {name}
        </p>
        <p className="truncate text-[13px] text-mute">
          {address ?? "no mail address"} ·{" "}
          {handedAt === null ? (
            <span className="font-medium text-ochre">not handed out yet</span>
          ) : (
            <>
              {by === "mail" ? "sent" : "sheet saved"} <Time at={handedAt} />
            </>
          )}
        </p>
      </div>
      <Button size="small" disabled={sheet.pending} onClick={() => sheet.run()} aria-label={`Save ${name}’s sheet`}>
        <FileDown className="size-4" aria-hidden />
        Save the sheet
      </Button>
      {address !== null && (
        <Button
          size="small"
          disabled={mail.pending}
          onClick={() => (canMail ? mail.run() : onStep({ kind: "mail" }))}
          aria-label={`Send ${name} their share`}
        >
          <Mail className="size-4" aria-hidden />
          Send it
        </Button>
      )}
      <Button size="small" onClick={() => onStep({ kind: "name", replaced: number })} aria-label={`Replace ${name}`}>
        <UserRoundPen className="size-4" aria-hidden />
        Replace…
      </Button>
    </li>
  );
}
