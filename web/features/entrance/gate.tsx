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
import { duration } from "@/lib/format";
import { say } from "@eremos/words/page/entrance";

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
        <h1 className="text-3xl">{say("new-master-password")}</h1>
        <p className="mt-2 mb-6 text-mute">{say("your-folders-stay-as-they", { enoughWords: enoughWords(state) })}</p>
        <p className="-mt-4 mb-6 text-sm text-mute">
          {say("with-neither", { hasKeyholders: state.keyholders !== null })}
        </p>
        <Forgotten openAt={opensAt} onDone={onSignedIn} onTried={onTried} onBack={() => setForgotten(false)} />
      </EntranceFrame>
    );
  }
  const isPin = state.pin && !byPassword;
  return (
    <EntranceFrame night={<NightNote />}>
      <h1 className="text-3xl">{say("welcome-back")}</h1>
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
    ? say("recovery-code-from-your-sheet", { threshold: keyholders.threshold })
    : say("recovery-code-from-your-sheet-is");
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
      : say("that-did-not-work-nothing-was")
    : null;
  return (
    <>
      <p className="mt-2 text-mute">{say("sign-in-see-your-folders")}</p>
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
          label={say("master-password")}
          autoFocus
          autoComplete="current-password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
          problem={problem}
        />
        {state.hint && (
          <p className="!mt-2 text-[13px] text-mute">
            {say("your-hint")} <span className="font-medium text-ink">{state.hint}</span>
          </p>
        )}
        <Button
          tone="dusk"
          size="large"
          type="submit"
          className="w-full"
          disabled={signIn.isPending || wait > 0 || password === ""}
        >
          {signIn.isPending ? say("opening") : wait > 0 ? say("wait", { wait: duration(wait / 1000) }) : say("sign-in")}
        </Button>
      </form>
      <div className="mt-4 min-h-12 text-[13px]" role="status">
        {state.failedTries > 0 && (
          <p className="rounded-lg bg-ochre-soft px-3 py-2 text-ochre">
            {say("wrong-passwords-since-last-sign", { failedTries: state.failedTries })}
          </p>
        )}
      </div>
      <button
        type="button"
        onClick={onForgotten}
        className="mt-2 self-start text-sm font-medium text-dusk underline underline-offset-4"
      >
        {say("i-forgot-my-master-password")}
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
        {say("folders-lie-open", { folders })}
      </h2>
      <p className="mt-1">{say("anybody-at-this-keyboard-can")}</p>
      {left > 0 && <p className="mt-1 font-medium">{say("folders-could-not-be-locked", { left })}</p>}
      <Button className="mt-2" disabled={close.isPending} onClick={() => close.mutate()}>
        {close.isPending ? say("locking") : say("close-up")}
      </Button>
    </section>
  );
}

function NightNote(): ReactNode {
  return (
    <>
      <h2 className="text-2xl leading-tight">{say("nothing-here-says-what-you")}</h2>
      <p className="mt-3 text-sm text-night-mute">{say("names-places-and-history-are")}</p>
    </>
  );
}
