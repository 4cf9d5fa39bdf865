import { mistypedGroups } from "@eremos/core";
import type { ENTRANCE_CALLS } from "../../calls/entrance-calls";
import { tellNoMore } from "../../database/open";
import { proofFor } from "../../desktop/launcher";
import { changePassword } from "../../operations/entrance/change-password";
import { resetPassword } from "../../operations/entrance/forgotten-password";
import { beginNewCode, finishNewCode } from "../../operations/entrance/recovery-code";
import { beginSetup, finishSetup } from "../../operations/entrance/setup";
import { returnStaying, returnWithPin, setStay, signIn, signOut } from "../../operations/entrance/sign-in";
import { stateOf } from "../../operations/folders/about";
import { type Answers, beginSession } from "./answer";

export const ENTRANCE: Answers<typeof ENTRANCE_CALLS> = {
  hello: ({ context }, { nonce }) => ({ proof: proofFor(context.secret, nonce) }),
  state: ({ context, signedIn }) => stateOf(context.eremos, signedIn),
  "setup/begin": ({ context }, asked) => beginSetup(context.eremos, asked),
  "setup/finish": async (call, { id, groups }) => {
    await finishSetup(call.context.eremos, id, groups);
    return { tab: beginSession(call), failedTries: 0 };
  },
  "sign-in": async (call, { password }) => {
    const { failedTries } = await signIn(call.context.eremos, password);
    return { tab: beginSession(call), failedTries };
  },
  "sign-out": ({ context }, { leaveOpen }) => {
    context.sessions.endAll();
    signOut(context.eremos, leaveOpen);
    return {};
  },
  "own-data/told": ({ context: { eremos } }) => {
    tellNoMore(eremos.data.databasePath);
    return {};
  },
  pin: async ({ context: { eremos } }, { pin }) => {
    if (pin === null) eremos.pin.forget();
    else eremos.pin.choose(pin);
    await eremos.ledger.noticed("", "pin", { count: pin === null ? 0 : 1 });
    eremos.announce({ topic: "session" });
    return {};
  },
  "pin/return": async (call, { pin }) => {
    await returnWithPin(call.context.eremos, pin);
    return { tab: beginSession(call), failedTries: 0 };
  },
  "stay/set": async ({ context }, { current }) => {
    await setStay(context.eremos, current);
    return {};
  },
  "stay/return": async (call) => {
    await returnStaying(call.context.eremos);
    return { tab: beginSession(call), failedTries: 0 };
  },
  touch: ({ context }) => {
    context.sessions.touch();
    return {};
  },
  password: ({ context }, asked) => changePassword(context.eremos, asked),
  forgotten: async (call, asked) => {
    const { failedTries, left } = await resetPassword(call.context.eremos, asked);
    return { tab: beginSession(call), failedTries, left };
  },
  "code/check": (_call, { code }) => ({ wrong: mistypedGroups(code) }),
  "code/begin": ({ context }, { current }) => beginNewCode(context.eremos, current),
  "code/finish": ({ context }, { id, groups }) => finishNewCode(context.eremos, id, groups),
};
