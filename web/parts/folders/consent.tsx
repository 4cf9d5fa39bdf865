"use client";
import { type ReactNode, useState, useSyncExternalStore } from "react";
import type { Consent, FolderSecret, FolderView } from "@eremos/server/contract";
import { ApiError } from "@/lib/api";
import { showError, useFolders } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { SecretField, isEmpty } from "@/parts/secrets/ask-secret";
import { say } from "@eremos/words/page/folders";

/**
 * What the owner is asked before a folder that is not as they left it is opened or looked into: each thing by itself.
 */
const QUESTIONS: Readonly<Record<Consent, { readonly title: string; readonly action: string }>> = {
  unvouched: { title: say("locked-by-somebody-unknown"), action: say("i-know-who-locked-it") },
  "rolled-back": { title: say("older-state-than-eremos-knows"), action: say("go-on-with-older-state") },
  costly: { title: say("password-that-takes-more-work"), action: say("try-it-all-same") },
  arriving: { title: say("newer-state-is-still-arriving"), action: say("go-on-without-newer-state") },
  "files-damaged": { title: say("some-files-are-damaged"), action: say("go-on-with-everything-else") },
  forked: { title: say("another-state-than-eremos-knows"), action: say("go-on-with-this-state") },
};

export function isConsent(code: string | undefined): code is Consent {
  return code !== undefined && Object.hasOwn(QUESTIONS, code);
}

interface Question {
  readonly folder: string;
  readonly code: Consent;
  readonly message: string;
  /** What was agreed to before. */
  readonly accepted: readonly Consent[];
  readonly goOn: (accept: readonly Consent[], secret: FolderSecret | null) => Promise<unknown>;
}

let asked: Question | null = null;
const listeners = new Set<() => void>();

function show(question: Question | null): void {
  asked = question;
  for (const listener of listeners) listener();
}

/**
 * Does it; where the folder is not as its owner left it, asks, and does it again with what they agree to. Any other
 * error is thrown.
 */
export async function withConsent(
  folder: string,
  act: Question["goOn"],
  secret: FolderSecret | null,
  accept: readonly Consent[] = [],
): Promise<void> {
  try {
    await act(accept, secret);
  } catch (error) {
    if (!(error instanceof ApiError) || !isConsent(error.code)) throw error;
    askConsent({
      folder,
      code: error.code,
      message: error.message,
      accepted: accept,
      goOn: (more, given) => withConsent(folder, act, given, more),
    });
  }
}

export function askConsent(question: Question): void {
  show(question);
}

export function ConsentDialog(): ReactNode {
  const question = useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => void listeners.delete(listener);
    },
    () => asked,
    () => null,
  );
  const folder = useFolders()?.find(({ id }) => id === question?.folder);
  if (!question || !folder) return null;
  return <Asking key={`${question.folder} ${question.code}`} question={question} folder={folder} />;
}

function Asking({ question, folder }: { readonly question: Question; readonly folder: FolderView }): ReactNode {
  const [secret, setSecret] = useState<FolderSecret>({ kind: "password", password: "" });
  const { title, action } = QUESTIONS[question.code];
  const goOn = (): void => {
    show(null);
    question.goOn([...question.accepted, question.code], folder.hasPassword ? secret : null).catch(showError);
  };
  return (
    <Dialog
      open
      onOpenChange={(isOpen) => !isOpen && show(null)}
      title={`${folder.name}: ${title.toLowerCase()}`}
      description={question.message}
    >
      <form
        className="mt-5 space-y-4"
        onSubmit={(event) => {
          event.preventDefault();
          goOn();
        }}
      >
        {folder.hasPassword && <SecretField folder={folder} secret={secret} onSecret={setSecret} problem={null} />}
        <div className="flex justify-end gap-2">
          <Button autoFocus onClick={() => show(null)}>
            {say("leave-it-locked")}
          </Button>
          <Button tone="clay" type="submit" disabled={folder.hasPassword && isEmpty(secret)}>
            {action}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
