"use client";
import { useMutation } from "@tanstack/react-query";
import { Check, X } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { SharesLook } from "@eremos/server/contract";
import { PictureReader } from "./picture-reader";
import { api } from "@/lib/api";
import { Button } from "@/ui/button";
import { Field } from "@/ui/field";
import { say } from "@eremos/words/page/secrets";

interface SharesFieldProps {
  /** Those that are here, each looked at already. */
  readonly shares: readonly string[];
  readonly onShares: (shares: readonly string[]) => void;
  /** The set they belong to. */
  readonly set: Pick<SharesLook, "threshold" | "count">;
  /** The folder that was found; null: this owner's. */
  readonly at: string | null;
  readonly problem: string | null;
}

/** Keyholders' shares, collected one by one: each is looked at when it comes, and a wrong or foreign one is named. */
export function SharesField({ shares, onShares, set, at, problem }: SharesFieldProps): ReactNode {
  const [typed, setTyped] = useState("");
  const [numbers, setNumbers] = useState<readonly (number | null)[]>([]);
  const add = useMutation({
    mutationFn: (share: string) =>
      api.lookAtShares([...shares, share], at).then(({ look }) => ({ share, looks: look?.shares ?? [] })),
    onSuccess: ({ share, looks }) => {
      if (looks.at(-1)?.problem !== null) return;
      setTyped("");
      setNumbers(looks.map(({ number }) => number));
      onShares([...shares, share]);
    },
  });
  const refusal = add.data?.looks.at(-1)?.problem ?? null;
  const missing = set.threshold - shares.length;
  return (
    <div>
      <p className="text-sm font-semibold">
        {say("shares")}{" "}
        <span className="font-normal text-mute" role="status">
          {missing > 0
            ? say("are-here-more-are-needed", { shares: shares.length, threshold: set.threshold, missing })
            : say("shares-are-here-enough", { shares: shares.length })}
        </span>
      </p>
      {shares.length > 0 && (
        <SharesHere
          shares={shares}
          numbers={numbers}
          count={set.count}
          onTakeAway={(i) => {
            setNumbers(numbers.filter((_, at_) => at_ !== i));
            onShares(shares.filter((_, at_) => at_ !== i));
          }}
        />
      )}
      <div className="mt-3 flex flex-wrap items-start gap-2">
        <Field
          className="min-w-60 flex-1 [&_input]:font-mono [&_input]:uppercase"
          label={shares.length === 0 ? say("first-share") : say("another-share")}
          autoComplete="off"
          spellCheck={false}
          value={typed}
          problem={refusal ?? problem}
          note={say("twelve-groups-five-from-keyholders")}
          onChange={(event) => {
            add.reset();
            setTyped(event.target.value);
          }}
          onKeyDown={(event) => {
            if (event.key !== "Enter" || typed.trim() === "") return;
            event.preventDefault();
            add.mutate(typed);
          }}
        />
        <Button
          className="mt-[26px] h-11"
          disabled={typed.trim() === "" || add.isPending}
          onClick={() => add.mutate(typed)}
        >
          {say("add-it")}
        </Button>
      </div>
      <PictureReader
        onRead={(share) => {
          setTyped(share);
          add.mutate(share);
        }}
      />
    </div>
  );
}

interface SharesHereProps {
  readonly shares: readonly string[];
  /** Of each, as far as it is known. */
  readonly numbers: readonly (number | null)[];
  /** Of the whole set. */
  readonly count: number;
  readonly onTakeAway: (i: number) => void;
}

function SharesHere({ shares, numbers, count, onTakeAway }: SharesHereProps): ReactNode {
  return (
    <ul className="mt-2 divide-y divide-line/70 rounded-xl border border-line" aria-label={say("shares-that-are-here")}>
      {shares.map((share, i) => (
        <li key={share} className="flex items-center gap-2 px-3 py-1.5 text-sm">
          <Check className="size-4 shrink-0 text-dusk" aria-hidden />
          <span className="flex-1">
            {numbers[i] ? say("share", { numbers: numbers[i], count }) : say("share-2", { i: i + 1 })}
          </span>
          <button
            type="button"
            className="grid size-8 place-items-center rounded-md text-mute hover:text-ink"
            aria-label={say("take-share-away", { numbers: numbers[i] ?? i + 1 })}
            onClick={() => onTakeAway(i)}
          >
            <X className="size-4" aria-hidden />
          </button>
        </li>
      ))}
    </ul>
  );
}
