"use client";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { BackSecret } from "@eremos/server/contract";
import { CodeField } from "./code-field";
import { SharesField } from "./shares-field";
import { api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { say } from "@eremos/words/page/secrets";

export const NO_SECRET: BackSecret = { kind: "code", code: "" };

export function isMissing(secret: BackSecret): boolean {
  return secret.kind === "code" ? secret.code.trim() === "" : secret.shares.length < 2;
}

interface BackSecretFieldProps {
  readonly secret: BackSecret;
  readonly onSecret: (secret: BackSecret) => void;
  readonly problem: string | null;
  /** A folder that was found; null: this owner's own ways back. */
  readonly at?: string | null;
  readonly autoFocus?: boolean;
}

/** The recovery code, or in its place keyholders' shares, where there are keyholders. */
export function BackSecretField({
  secret,
  onSecret,
  problem,
  at = null,
  autoFocus = false,
}: BackSecretFieldProps): ReactNode {
  const set =
    useQuery({ queryKey: KEYS.sharesSet(at), queryFn: () => api.lookAtShares([], at).catch(() => ({ look: null })) })
      .data?.look ?? null;
  return (
    <div>
      {secret.kind === "shares" && set ? (
        <SharesField
          shares={secret.shares}
          onShares={(shares) => onSecret({ kind: "shares", shares })}
          set={set}
          at={at}
          problem={problem}
        />
      ) : (
        <CodeField
          autoFocus={autoFocus}
          value={secret.kind === "code" ? secret.code : ""}
          onChange={(code) => onSecret({ kind: "code", code })}
          problem={problem}
        />
      )}
      {set && (
        <button
          type="button"
          className="mt-3 text-sm font-medium text-dusk underline underline-offset-4"
          onClick={() => onSecret(secret.kind === "shares" ? NO_SECRET : { kind: "shares", shares: [] })}
        >
          {secret.kind === "shares"
            ? say("use-recovery-code")
            : say("use-keyholders-shares-any", { threshold: set.threshold, count: set.count })}
        </button>
      )}
    </div>
  );
}
