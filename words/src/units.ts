import { speaker } from "./speaker";

/** Sizes and times. */
export const { say } = speaker("units", {
  bytes: "{bytes, plural, one {1 byte} other {{bytes} bytes}}",
  seconds: "{seconds} s",
  minutes: "{minutes} min",
  hours: "{hours} h{minutes, plural, =0 {} other { {minutes} min}}",
});
