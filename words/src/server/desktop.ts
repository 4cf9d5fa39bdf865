import { speaker } from "../speaker";

export const { say, said } = speaker("server/desktop", {
  "no-file-manager-answered":
    "No file manager answered on this desktop. Nothing was changed; open it there by its path.",
  "no-program-could-be-started":
    "Nothing on this desktop starts programs for files (xdg-open). Nothing was changed; open it there by its path.",
  "no-session-bus":
    "There is no desktop session here whose bus could ask for anything. Nothing was touched; `eremos page PATH` shows a folder.",
  "something-else-than-your-eremos":
    "Something else than your Eremos answers at its port {port}. Don't type your password there. Start Eremos with `eremos serve`: it takes another port by itself.",
  "eremos-could-not-be-started":
    "Eremos could not be started by itself. Nothing was touched; start it with `eremos serve`, which says what is wrong.",
  "lock-with-eremos": "Lock with Eremos",
  "open-in-eremos": "Open in Eremos",
  "lock-and-hide": "Lock and hide",
  "lock-again": "Lock again",
  "lock-with-its-own-password": "Lock with a password of its own…",
  "open-it": "Open…",
  "visit-it": "Visit…",
  "put-into-a-locked-folder": "Put a copy into a locked folder…",
  "move-into-a-locked-folder": "Move into a locked folder…",
  "release-it": "Release…",
  "remove-it": "Remove…",
  "hand-it-over": "Hand over…",
  "overwrite-and-remove-it": "Overwrite and remove…",
  "locked-by-eremos": "Folder or file locked by Eremos",
  "hides-and-locks": "Hides and locks private folders in place",
  "locks-what-was-left-open": "Locks what was left open, and waits for you",
  "holds-the-port": "Holds the port of Eremos, so that no other account takes it",
});
