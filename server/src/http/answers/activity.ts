import type { ACTIVITY_CALLS } from "../../calls/activity-calls";
import { chartsOf } from "../../operations/activity/charts";
import { exportHistory } from "../../operations/activity/export";
import { activityOf } from "../../operations/activity/history";
import { clearHistory, keepHistory } from "../../operations/activity/keeping";
import { sinceLastTime } from "../../operations/activity/since";
import { type Answers, FROM } from "./answer";

export const ACTIVITY: Answers<typeof ACTIVITY_CALLS> = {
  activity: ({ context }, asked) => activityOf(context.eremos, asked),
  "activity/charts": ({ context }, asked) =>
    chartsOf(context.eremos, { folder: asked.of, from: asked.from, until: asked.until }),
  "activity/since": ({ context }) => sinceLastTime(context.eremos),
  "activity/keep": async ({ context }, { keep }) => {
    await keepHistory(context.eremos, keep);
    return {};
  },
  "activity/clear": ({ context }, { of }) => clearHistory(context.eremos, of),
  "activity/export": ({ context }, asked) =>
    exportHistory(context.eremos, { format: asked.format, filter: asked.filter, directory: asked.path, from: FROM }),
};
