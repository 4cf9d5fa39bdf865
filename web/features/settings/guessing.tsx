"use client";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { Effort, SettingsView } from "@eremos/server/contract";
import { CurrentPassword } from "@/parts/secrets/current-password";
import { api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { KEYS } from "@/lib/queries";
import { Choices } from "@/ui/choice";
import { Dialog } from "@/ui/dialog";
import { say } from "@eremos/words/page/settings";

const TITLES: readonly (readonly [Effort, string])[] = [
  ["light", say("light")],
  ["standard", say("standard")],
  ["heavy", say("heavy")],
];
const SECONDS_A_DAY = 86_400;
/** A guesser with money: so many machines like this one. */
const MACHINES = 1000;

/** How much work each try of the master password is, for its owner at every sign-in and for whoever guesses. */
export function Guessing({ hashing }: { readonly hashing: SettingsView["hashing"] }): ReactNode {
  const efforts = useQuery({ queryKey: KEYS.efforts, queryFn: api.efforts, staleTime: Number.POSITIVE_INFINITY }).data;
  const [wanted, setWanted] = useState<Effort | null>(null);
  return (
    <section aria-labelledby="guessing">
      <h2 id="guessing" className="text-lg">
        {say("what-guessing-costs")}
      </h2>
      <p className="mt-1 mb-2 text-sm text-mute">{say("each-try-your-master-password", { machines: MACHINES })}</p>
      <details className="mb-3 text-[13px] text-mute">
        <summary className="cursor-pointer">{say("details")}</summary>
        {say("argon2id-with-mib-memory-and", {
          memoryKiB: (hashing.memoryKiB / 1024).toFixed(0),
          passes: hashing.passes,
        })}
      </details>
      {efforts ? (
        <Choices<Effort>
          label={say("how-much-work-each-try")}
          columns="three"
          value={efforts.chosen}
          onChoose={(effort) => effort !== efforts.chosen && setWanted(effort)}
          choices={TITLES.map(([value, title]) => ({
            value,
            title,
            text: say("s-try-computers-about-tries", {
              seconds: efforts.seconds[value].toFixed(1),
              machines: MACHINES,
              millions: millions((MACHINES * SECONDS_A_DAY) / efforts.seconds[value]),
            }),
          }))}
        />
      ) : (
        <p className="text-sm text-mute" role="status">
          {say("measuring")}
        </p>
      )}
      <Dialog
        open={wanted !== null}
        onOpenChange={(open) => !open && setWanted(null)}
        title={say("change-work-each-try")}
        description={say("password-stays-same-copies-folders")}
      >
        {wanted !== null && <EffortForm effort={wanted} onDone={() => setWanted(null)} />}
      </Dialog>
    </section>
  );
}

function millions(tries: number): string {
  return say("million", { round: Math.round(tries / 1_000_000) });
}

function EffortForm({ effort, onDone }: { readonly effort: Effort; readonly onDone: () => void }): ReactNode {
  const change = useGuarded(
    (current: string) => api.setEffort(current, effort),
    ({ left }) => {
      toast(
        left.length === 0
          ? say("changed-in-every-folder")
          : say("changed-folders-out-reach-named", { left: left.length }),
        { duration: 9000 },
      );
      onDone();
    },
  );
  return <CurrentPassword action={say("change-it-2")} verb={change} onCancel={onDone} />;
}
