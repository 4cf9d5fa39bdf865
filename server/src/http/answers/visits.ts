import type { VISIT_CALLS } from "../../calls/visit-calls";
import { findSlot } from "../../operations/folders/drop";
import { startVisit } from "../../operations/folders/visit";
import { putBack, sinceLastLock } from "../../operations/locking/last-lock";
import { type Answers, FROM } from "./answer";

export const VISITS: Answers<typeof VISIT_CALLS> = {
  "visit/start": ({ context }, { folder, ...asked }) =>
    startVisit(context.eremos, { ...asked, pathOrId: folder, from: FROM }),
  "visit/end": async ({ context }, { folder }) => {
    await context.eremos.visits.end(folder);
    return {};
  },
  "visit/call": ({ context }, { folder, call }) => context.eremos.visits.call(folder, call),
  "visit/mount": async ({ context }, { folder }) => {
    await context.eremos.visits.mount(folder);
    return {};
  },
  "visit/open": async ({ context }, { folder, href }) => {
    await context.eremos.visits.open(folder, href);
    return {};
  },
  "visit/ends-with-programs": ({ context }, { folder, on }) => {
    context.eremos.visits.setEndsWithPrograms(folder, on);
    return {};
  },
  "visit/archive": ({ context }, { folder, hrefs }) => ({ href: context.eremos.visits.choose(folder, hrefs) }),
  slot: async ({ context }, { folder }) => ({ takes: (await findSlot(context.eremos, folder)) !== null }),
  "last-lock": ({ context }, { folder, secret }) => sinceLastLock(context.eremos, folder, secret),
  "put-back": async ({ context }, asked) => ({ job: await putBack(context.eremos, asked) }),
};
