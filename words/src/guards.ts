import { speaker } from "./speaker";

/** How a folder is protected, and where it shows: the same words wherever they are said. */
export const { say } = speaker("guards", {
  sealed: "sealed",
  barred: "barred",
  sight: "out of sight",
  view: "in view",
  hidden: "hidden in place",
  tucked: "tucked away",
});
