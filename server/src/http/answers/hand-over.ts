import type { HAND_OVER_CALLS } from "../../calls/hand-over-calls";
import { handOver } from "../../operations/handover/hand-over";
import { forgetHandedOver, handedOver, mailPaper, noteHandedOver, paperFor } from "../../operations/handover/handed";
import { receive } from "../../operations/handover/receive";
import { planHandOver } from "../../operations/handover/what-goes-in";
import { type Answers, FROM } from "./answer";

export const HAND_OVER: Answers<typeof HAND_OVER_CALLS> = {
  "hand-over/plan": ({ context }, { path, ...asked }) =>
    planHandOver(context.eremos, { ...asked, what: path, isPlain: false, from: FROM }),
  "hand-over": async ({ context }, { path, ...asked }) => {
    const { id } = await handOver(context.eremos, { ...asked, what: path, isPlain: false, from: FROM });
    return { job: id };
  },
  "hand-over/made": ({ context }) => [...handedOver(context.eremos)],
  "hand-over/note": ({ context }, { id, ...written }) => {
    noteHandedOver(context.eremos, id, written);
    return {};
  },
  "hand-over/forget": ({ context }, { id }) => {
    forgetHandedOver(context.eremos, id);
    return {};
  },
  "hand-over/paper": async ({ context }, { id, password }) => ({
    pdf: (await paperFor(context.eremos, id, password)).toString("base64"),
  }),
  "hand-over/mail": async ({ context }, asked) => {
    await mailPaper(context.eremos, asked);
    return {};
  },
  receive: async ({ context }, { path, ...asked }) => {
    const { id } = await receive(context.eremos, { ...asked, package: path, from: FROM });
    return { job: id };
  },
};
