import { speaker } from "../speaker";

export const { say, said } = speaker("core/overwrite", {
  "nothing-to-overwrite-at": "There is nothing at {path} now. Nothing was touched; check the path.",
  overwriting: "overwriting {path}; what was overwritten by then is gone, the rest is as it was",
  "overwriting-it": "overwriting it",
  "is-another-drive": "it is another drive; choose that one by itself",
  "may-not-be-looked-into": "the system does not let this account look into it",
  "is-protected-itself": "it is protected by Eremos; remove it from the list of protected folders instead",
  "has-names-elsewhere": "it has another name elsewhere on this disk, which would lose its contents, too",
  "looking-at-the-disk": "looking at the disk of {path}; nothing was touched",
  "filling-free-space": "filling the free space of {path}; everything that was written for it is removed again",
  "free-space-is-not-there":
    "There is no file system of its own to fill at {path}. Nothing was touched; check the path.",
});
