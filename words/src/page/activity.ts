import { speaker } from "../speaker";

export const { say, said } = speaker("page/activity", {
  activity: "Activity",
  "what-was-done-with-your":
    "What was done with your folders, here and from the command line. Kept encrypted; only you can read it.",
});
