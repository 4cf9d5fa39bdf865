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
import { useGuarded } from "@/lib/guarded";
import { KEYS, useVerb } from "@/lib/queries";
import { savePdf } from "@/lib/save-pdf";
import { Button } from "@/ui/button";
import { Confirm, Dialog } from "@/ui/dialog";
import { Time } from "@/ui/time";
import { say } from "@eremos/words/page/ways-back";

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
        toast.warning(say("not-so-yet-what-is", { words, left: left.map(({ name }) => name).join(", ") }), {
          duration: 20_000,
        });
      close();
    };
  const drop = useGuarded(api.dropKeyholders, done(say("there-are-no-keyholders-any")));
  const keyholders = data?.keyholders ?? null;
  return (
    <section id="keyholders" aria-labelledby="keyholders-head" className="mt-8">
      <h2 id="keyholders-head" className="text-lg">
        {say("keyholders")}
      </h2>
      <p className="mt-1 text-sm text-mute">{say("people-you-trust-each-keep")}</p>
      {data && keyholders && <Holders keyholders={keyholders} onStep={setStep} />}
      {data && (
        <div className="mt-3 flex flex-wrap gap-2">
          <Button onClick={() => setStep({ kind: "name", replaced: null })}>
            {keyholders ? say("name-others") : say("name-keyholders")}
          </Button>
          {keyholders && <Button onClick={() => setStep({ kind: "drop" })}>{say("no-keyholders-any-more")}</Button>}
          {keyholders && <Button onClick={() => setStep({ kind: "mail" })}>{say("mail-server")}</Button>}
        </div>
      )}
      <Dialog
        open={step?.kind === "name"}
        onOpenChange={(open) => !open && close()}
        title={keyholders ? say("other-keyholders") : say("name-keyholders-2")}
        description={keyholders ? say("everybody-gets-new-share-those") : say("choose-people-who-would-come")}
      >
        <NameKeyholders
          before={keyholders}
          replaced={step?.kind === "name" ? step.replaced : null}
          onDone={done(say("keyholders-are-named-now-hand"))}
          onCancel={close}
        />
      </Dialog>
      <Dialog
        open={step?.kind === "drop"}
        onOpenChange={(open) => !open && close()}
        title={say("no-keyholders-any-more-2")}
        description={say("their-shares-stop-working-wherever")}
      >
        <CurrentPassword action={say("end-their-shares")} verb={drop} onCancel={close} />
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
        {say("any")} <strong>{say("of", { threshold, all })}</strong> {say("together-open")}{" "}
        {provenAt === null ? (
          <>
            {say("not-tried-yet-bring-together", { threshold })}{" "}
            <a href="#practice" className="text-dusk underline underline-offset-4">
              {say("practice-run")}
            </a>
            .
          </>
        ) : (
          <>
            {say("tried")} <Time at={provenAt} />.
          </>
        )}
      </p>
      {withEarlier.length > 0 && (
        <p className="mt-2 rounded-xl bg-ochre-soft px-4 py-3 text-sm text-ochre">
          {say("folders-have-password-their-own", {
            withEarlier: withEarlier.length,
            names: withEarlier.map(({ name }) => name).join(", "),
          })}
        </p>
      )}
      {holders === null ? (
        <p className="mt-2 text-sm">{say("they-were-named-on-another")}</p>
      ) : (
        <ul
          className="mt-3 divide-y divide-line rounded-xl border border-line bg-sheet text-sm"
          aria-label={say("keyholders")}
        >
          {holders.map((holder) => (
            <HolderRow key={holder.number} holder={holder} canMail={keyholders.mailServer !== null} onStep={onStep} />
          ))}
        </ul>
      )}
      <p className="mt-2 text-[13px] text-mute">{say("share-that-was-lost-is")}</p>
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
  const sheet = useVerb(async () => savePdf((await api.shareSheet(number)).pdf, say("eremos-share-for", { name })));
  const [isAsking, setAsking] = useState(false);
  const mail = useVerb(async () => {
    await api.mailShare(number);
    toast.success(say("mail-server-has-taken-s", { name }));
  });
  return (
    <li className="flex flex-wrap items-center gap-x-3 gap-y-1 px-4 py-2.5">
      <div className="min-w-0 flex-1">
        <p className="truncate font-medium" title={name}>
          {name}
        </p>
        <p className="truncate text-[13px] text-mute">
          {address ?? say("no-mail-address")} ·{" "}
          {handedAt === null ? (
            <span className="font-medium text-ochre">{say("not-handed-out-yet")}</span>
          ) : (
            <>
              {say("sent", { hasBy: by === "mail" })} <Time at={handedAt} />
            </>
          )}
        </p>
      </div>
      <Button
        size="small"
        disabled={sheet.pending}
        onClick={() => sheet.run()}
        aria-label={say("save-s-sheet", { name })}
      >
        <FileDown className="size-4" aria-hidden />
        {say("save-sheet")}
      </Button>
      {address !== null && (
        <Button
          size="small"
          disabled={mail.pending}
          onClick={() => (canMail ? setAsking(true) : onStep({ kind: "mail" }))}
          aria-label={say("send-their-share", { name })}
        >
          <Mail className="size-4" aria-hidden />
          {say("send-it")}
        </Button>
      )}
      <Button
        size="small"
        onClick={() => onStep({ kind: "name", replaced: number })}
        aria-label={say("replace", { name })}
      >
        <UserRoundPen className="size-4" aria-hidden />
        {say("replace-2")}
      </Button>
      <Confirm
        open={isAsking}
        onOpenChange={setAsking}
        title={say("send-share-to", { name })}
        action={say("send-it")}
        tone="dusk"
        onConfirm={() => mail.run()}
      >
        <p>{say("it-goes-by-mail-to", { address: address ?? "" })}</p>
      </Confirm>
    </li>
  );
}
