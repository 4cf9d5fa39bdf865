import { speaker } from "./speaker";

/** Of passwords that are being chosen. */
export const { say } = speaker("strength", {
  "this-one-would-be-guessed": "This one would be guessed at once. Use several words that don't belong together.",
  "use-at-least-characters": "Use at least {leastLength} characters.",
});
