"use client";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import { CurrentPassword } from "@/parts/secrets/current-password";
import { api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";

/** Signing in once for all on this account, and what that costs. */
export function StaySection({ stays }: { readonly stays: boolean }): ReactNode {
  const [asking, setAsking] = useState(false);
  const set = useGuarded(
    (current: string | null) => api.setStay(current),
    (_done) => {
      setAsking(false);
      toast(
        stays
          ? "The key is gone from this account. The next start asks for the master password."
          : "You stay signed in on this account. What that changes stands in each folder\u2019s table.",
        { duration: 9000 },
      );
    },
  );
  return (
    <section aria-labelledby="stay">
      <h2 id="stay" className="text-lg">
        Stay signed in
      </h2>
      <p className="mt-1 text-sm text-mute">
        {stays
          ? "On: your key is kept in a file that only this account may read. Whoever uses this account, an administrator, and whoever holds this disk can open your folders, except those with a password of their own."
          : "Off: each start asks for the master password. Turned on, your key is kept in a file of this account, and who can read its files can open your folders: convenient on a computer that is yours alone and whose disk is encrypted, and nowhere else."}
      </p>
      {stays ? (
        <Button className="mt-3" disabled={set.pending} onClick={() => set.run(null)}>
          Turn it off
        </Button>
      ) : (
        <Button className="mt-3" onClick={() => setAsking(true)}>
          Turn it on…
        </Button>
      )}
      <Dialog
        open={asking}
        onOpenChange={setAsking}
        title="Stay signed in on this account"
        description="Signing out yourself still asks for the master password, until the next start. It can be turned off at any time."
      >
        {asking && <CurrentPassword action="Stay signed in" verb={set} onCancel={() => setAsking(false)} />}
      </Dialog>
    </section>
  );
}
