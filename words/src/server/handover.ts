import { speaker } from "../speaker";

export const { say, said } = speaker("server/handover", {
  "package-is-made":
    "The package is at {path}: {files, plural, one {one file} other {# files}} in it, {size}. It opens in any current browser with its password, which you give in another way than the package.",
  "stayed-out": "{left, plural, one {One thing stayed} other {# things stayed}} out of it. {path}: {reason}.",
  "that-is-the-master-password":
    "That is your master password: whoever gets the package would have it. Nothing was made; choose another one.",
  "is-outside-places": "{path} is outside your places ({places}). Nothing was made; choose a path in one of them.",
  "lies-in-protected": "{path} would lie in {above}, which is protected. Nothing was made; choose a place outside it.",
});
