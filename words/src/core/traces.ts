import { speaker } from "../speaker";

export const { say, said } = speaker("core/traces", {
  "is-no-list-that-can-be-read":
    "It is not well-formed, so nothing in it is touched. The program that keeps it writes it anew the next time it has something to add.",
  "looking-for-traces": "looking for traces; nothing was changed",
});
