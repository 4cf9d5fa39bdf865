import { speaker } from "../speaker";

export const { say, said } = speaker("core/insurance", {
  "insurances-level": "note of how much insurance there is",
  "changing-folders-insurance-folder-itself": "changing the folder's insurance; the folder itself was not touched",
  "is-not-protected-by-eremos": "{path} is not protected by Eremos. Nothing was touched.",
  "is-not-locked-now-nothing": "{path} is not locked now. Nothing was touched; lock it first.",
});
