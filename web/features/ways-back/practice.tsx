"use client";
import Link from "next/link";
import { type ReactNode, useState } from "react";
import type { BackSecret, PracticeView } from "@eremos/server/contract";
import { BackSecretField, NO_SECRET, isMissing } from "@/parts/secrets/back-secret";
import { api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/ways-back";

/** Proving today that the ways back work, while nothing depends on them. */
export function Practice(): ReactNode {
  const [secret, setSecret] = useState<BackSecret>(NO_SECRET);
  const [result, setResult] = useState<(PracticeView & { readonly kind: BackSecret["kind"] }) | null>(null);
  const run = useGuarded(
    () => api.practice(secret),
    (done) => {
      setResult({ ...done, kind: secret.kind });
      setSecret(NO_SECRET);
    },
  );
  const failed = result?.folders.filter(({ problem }) => problem !== null) ?? [];
  const [subject, opens] = result?.kind === "shares" ? [say("shares"), "open"] : [say("code"), "opens"];
  return (
    <section id="practice" aria-labelledby="practice-head" className="mt-8">
      <h2 id="practice-head" className="text-lg">
        {say("practice-run-2")}
      </h2>
      <p className="mt-1 mb-3 text-sm text-mute">{say("type-code-from-your-sheet")}</p>
      <form
        className="rounded-2xl border border-line bg-sheet p-5"
        onSubmit={(event) => {
          event.preventDefault();
          run.run(undefined);
        }}
      >
        <BackSecretField secret={secret} onSecret={setSecret} problem={run.problem} />
        <Button type="submit" className="mt-4" disabled={isMissing(secret) || run.isBlocked}>
          {run.label(say("try-it"))}
        </Button>
      </form>
      <div role="status" className="mt-3 text-sm">
        {result && failed.length === 0 && (
          <p className="text-dusk">
            {result.folders.length === 0
              ? say("is-right-no-folder-is", { subject, kind: result.kind })
              : `${subject} ${opens} ${result.folders.length === 1 ? say("your-sealed-folder") : say("all-sealed-folders", { folders: result.folders.length })}.`}
          </p>
        )}
        {failed.length > 0 && (
          <ul className="space-y-1">
            {failed.map(({ id, name, problem }) => (
              <li key={id} className="text-oxblood">
                <Link href={`/folders/${id}`} className="font-semibold underline underline-offset-4">
                  {name}
                </Link>
                : {problem}
              </li>
            ))}
          </ul>
        )}
      </div>
    </section>
  );
}
