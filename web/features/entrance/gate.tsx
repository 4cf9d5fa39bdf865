"use client";
import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { SignedIn, StateView } from "@eremos/server/contract";
import { DropSlot } from "./drop-slot";
import { Forgotten } from "@/parts/returning/forgotten";
import { EntranceFrame } from "./frame";
import { PinGate } from "./pin-gate";
import { Button } from "@/ui/button";
import { PasswordField } from "@/ui/field";
import { Trouble } from "@/ui/trouble";
import { ApiError, api } from "@/lib/api";
import { useCountdown } from "@/lib/countdown";
import { count, duration } from "@/lib/format";

interface GateProps {
  readonly state: StateView;
  /** When the next password will be looked at, in milliseconds since the epoch. */
  readonly openAt: number;
  readonly onSignedIn: (signedIn: SignedIn) => void;
  readonly onTried: () => void;
}

/** By a new password, by PIN, or by the password. */
export function Gate({ state, openAt, onSignedIn, onTried }: GateProps): ReactNode {
  const [blockedUntil, setBlockedUntil] = useState(0);
  const [byPassword, setByPassword] = useState(false);
  const [isForgotten, setForgotten] = useState(false);
  const opensAt = Math.max(openAt, blockedUntil);
  if (isForgotten) {
    return (
      <EntranceFrame night={<NightNote />}>
        <h1 className="text-3xl">A new master password</h1>
        <p className="mt-2 mb-6 text-mute">{enoughWords(state)} Your folders stay as they are.</p>
        <Forgotten openAt={opensAt} onDone={onSignedIn} onTried={onTried} onBack={() => setForgotten(false)} />
      </EntranceFrame>
    );
  }
  const isPin = state.pin && !byPassword;
  return (
    <EntranceFrame night={<NightNote />}>
      <h1 className="text-3xl">Welcome back</h1>
      {isPin ? (
        <PinGate onSignedIn={onSignedIn} onPassword={() => setByPassword(true)} onTried={onTried} />
      ) : (
        <PasswordGate
          state={state}
          openAt={opensAt}
          onSignedIn={onSignedIn}
          onTried={onTried}
          onBlocked={setBlockedUntil}
          onForgotten={() => setForgotten(true)}
        />
      )}
      <LeftOpen folders={state.open} onClosed={onTried} />
      <DropSlot />
    </EntranceFrame>
  );
}

function enoughWords({ keyholders }: StateView): string {
  return keyholders
    ? `The recovery code from your sheet is enough, or ${keyholders.threshold} of your keyholders’ shares.`
    : "The recovery code from your sheet is enough.";
}

interface PasswordGateProps extends GateProps {
  /** Until when, in milliseconds since the epoch. */
  readonly onBlocked: (until: number) => void;
  readonly onForgotten: () => void;
}

function PasswordGate({ state, openAt, onSignedIn, onTried, onBlocked, onForgotten }: PasswordGateProps): ReactNode {
  const [password, setPassword] = useState("");
  const wait = useCountdown(openAt);
  const signIn = useMutation({
    mutationFn: () => api.signIn(password),
    onSuccess: onSignedIn,
    onError: (error) => {
      setPassword("");
      if (error instanceof ApiError && typeof error.data["waitMs"] === "number")
        onBlocked(Date.now() + error.data["waitMs"]);
      onTried();
    },
  });
  const problem = signIn.error
    ? signIn.error instanceof ApiError
      ? signIn.error.message
      : "That did not work. Nothing was changed."
    : null;
  return (
    <>
      <p className="mt-2 text-mute">Sign in to see your folders and open them.</p>
      {state.ownDataTrouble && (
        <div className="mt-4">
          <Trouble words={state.ownDataTrouble} />
        </div>
      )}
      <form
        className="mt-7 space-y-4"
        onSubmit={(event) => {
          event.preventDefault();
          signIn.mutate();
        }}
      >
        <PasswordField
          label="Master password"
          autoFocus
          autoComplete="current-password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
          problem={problem}
        />
        {state.hint && (
          <p className="!mt-2 text-[13px] text-mute">
            Your hint: <span className="font-medium text-ink">{state.hint}</span>
          </p>
        )}
        <Button
          tone="dusk"
          size="large"
          type="submit"
          className="w-full"
          disabled={signIn.isPending || wait > 0 || password === ""}
        >
          {signIn.isPending ? "Opening…" : wait > 0 ? `Wait ${duration(wait / 1000)}` : "Sign in"}
        </Button>
      </form>
      <div className="mt-4 min-h-12 text-[13px]" role="status">
        {state.failedTries > 0 && (
          <p className="rounded-lg bg-ochre-soft px-3 py-2 text-ochre">
            {count(state.failedTries, "wrong password")} since the last sign-in. Each one makes the next wait longer.
          </p>
        )}
      </div>
      <button
        type="button"
        onClick={onForgotten}
        className="mt-2 self-start text-sm font-medium text-dusk underline underline-offset-4"
      >
        I forgot my master password
      </button>
    </>
  );
}

/** Signed out is not locked: what lies open is said here, in a number only, and locked from here. */
function LeftOpen({ folders, onClosed }: { readonly folders: number; readonly onClosed: () => void }): ReactNode {
  const close = useMutation({ mutationFn: api.closeUpAtGate, onSettled: onClosed });
  const left = close.data?.left ?? 0;
  if (folders === 0) return null;
  return (
    <section
      aria-labelledby="left-open"
      className="mt-6 rounded-xl border border-clay/40 bg-clay-soft px-4 py-3 text-sm"
    >
      <h2 id="left-open" className="font-semibold text-clay">
        {count(folders, "folder")} {folders === 1 ? "lies" : "lie"} open
      </h2>
      <p className="mt-1">Anybody at this keyboard can read what lies open. Locking needs no password.</p>
      {left > 0 && (
        <p className="mt-1 font-medium">{count(left, "folder")} could not be locked now. Sign in to see why.</p>
      )}
      <Button className="mt-2" disabled={close.isPending} onClick={() => close.mutate()}>
        {close.isPending ? "Locking…" : "Close up"}
      </Button>
    </section>
  );
}

function NightNote(): ReactNode {
  return (
    <>
      <h2 className="text-2xl leading-tight">Nothing here says what you keep, or where.</h2>
      <p className="mt-3 text-sm text-night-mute">
        Names, places and history are encrypted on this computer. The password is in nobody&rsquo;s hands but yours.
      </p>
    </>
  );
}
