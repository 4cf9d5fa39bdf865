"use client";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { Effort, SettingsView } from "@eremos/server/contract";
import { CurrentPassword } from "@/parts/secrets/current-password";
import { api } from "@/lib/api";
import { count } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { KEYS } from "@/lib/queries";
import { Choices } from "@/ui/choice";
import { Dialog } from "@/ui/dialog";

const TITLES: readonly (readonly [Effort, string])[] = [
  ["light", "Light"],
  ["standard", "Standard"],
  ["heavy", "Heavy"],
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
        What guessing costs
      </h2>
      <p className="mt-1 mb-2 text-sm text-mute">
        Each try of your master password takes a while on purpose, whoever tries. The seconds are measured on this
        computer; a guesser with {MACHINES.toLocaleString("en")} computers like it tries as many passwords as it says.
        Four words that don&rsquo;t belong together outlast all of that; a single word does not.
      </p>
      <details className="mb-3 text-[13px] text-mute">
        <summary className="cursor-pointer">Details</summary>
        Argon2id, with {(hashing.memoryKiB / 1024).toFixed(0)} MiB of memory and {hashing.passes} passes over it.
      </details>
      {efforts ? (
        <Choices<Effort>
          label="How much work each try is"
          columns="three"
          value={efforts.chosen}
          onChoose={(effort) => effort !== efforts.chosen && setWanted(effort)}
          choices={TITLES.map(([value, title]) => ({
            value,
            title,
            text: `${efforts.seconds[value].toFixed(1)} s a try. ${MACHINES.toLocaleString("en")} computers: about ${millions((MACHINES * SECONDS_A_DAY) / efforts.seconds[value])} tries a day.`,
          }))}
        />
      ) : (
        <p className="text-sm text-mute" role="status">
          Measuring…
        </p>
      )}
      <Dialog
        open={wanted !== null}
        onOpenChange={(open) => !open && setWanted(null)}
        title="Change the work of each try"
        description="The password stays the same. Copies of folders made earlier keep the present effort."
      >
        {wanted !== null && <EffortForm effort={wanted} onDone={() => setWanted(null)} />}
      </Dialog>
    </section>
  );
}

function millions(tries: number): string {
  return `${Math.round(tries / 1_000_000).toLocaleString("en")} million`;
}

function EffortForm({ effort, onDone }: { readonly effort: Effort; readonly onDone: () => void }): ReactNode {
  const change = useGuarded(
    (current: string) => api.setEffort(current, effort),
    ({ left }) => {
      toast(
        left.length === 0
          ? "Changed, in every folder."
          : `Changed. ${count(left.length, "folder")} out of reach, named on this page.`,
        { duration: 9000 },
      );
      onDone();
    },
  );
  return <CurrentPassword action="Change it" verb={change} onCancel={onDone} />;
}
