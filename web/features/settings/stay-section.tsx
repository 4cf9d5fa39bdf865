"use client";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import { CurrentPassword } from "@/parts/secrets/current-password";
import { api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { say } from "@eremos/words/page/settings";

/** Signing in once for all on this account, and what that costs. */
export function StaySection({ stays }: { readonly stays: boolean }): ReactNode {
  const [asking, setAsking] = useState(false);
  const set = useGuarded(
    (current: string | null) => api.setStay(current),
    (_done) => {
      setAsking(false);
      toast(stays ? say("key-is-gone-from-this") : say("you-stay-signed-in-on"), { duration: 9000 });
    },
  );
  return (
    <section aria-labelledby="stay">
      <h2 id="stay" className="text-lg">
        {say("stay-signed-in")}
      </h2>
      <p className="mt-1 text-sm text-mute">{stays ? say("on-your-key-is-kept") : say("off-each-start-asks-for")}</p>
      {stays ? (
        <Button className="mt-3" disabled={set.pending} onClick={() => set.run(null)}>
          {say("turn-it-off")}
        </Button>
      ) : (
        <Button className="mt-3" onClick={() => setAsking(true)}>
          {say("turn-it-on")}
        </Button>
      )}
      <Dialog
        open={asking}
        onOpenChange={setAsking}
        title={say("stay-signed-in-on-this")}
        description={say("signing-out-yourself-still-asks")}
      >
        {asking && <CurrentPassword action={say("stay-signed-in")} verb={set} onCancel={() => setAsking(false)} />}
      </Dialog>
    </section>
  );
}
