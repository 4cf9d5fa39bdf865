import { speaker } from "../speaker";

export const { say, said } = speaker("core/hidden", {
  "bringing-it-back-it-is": "bringing it back; it is as it was",
  "flag-lets-nobody-change-it":
    "A flag lets nobody change it, and only an administrator may take that off: sudo chattr -i ''{path}'. Nothing was changed; look again afterwards.",
  "volume-does-not-let-this": "The volume does not let this account change what hides it. Nothing was changed.",
  "name-that-it-had-is": "The name that it had is none that a file can have. Nothing was changed.",
  "it-is-no-script-any": "It is no script any more. Nothing was changed; look again.",
  "removing-script-it-is-as": "removing the script; it is as it was",
  "hiding-it-again": "hiding it again",
  "list-that-hides-it-hidden":
    "The list that hides it, .hidden, is no ordinary file of this account's. Nothing was changed.",
  "name-characters-that-cant-be":
    "(a name of {value, plural, one {# character} other {# characters}} that can’t be seen: {codes})",
  "sets-attributes-hidden-and-system": "sets the attributes hidden and system",
  "gives-it-name-something-that": "gives it the name of something that is no folder",
  "takes-permissions-away": "takes permissions away",
  "sets-flag-that-hides-it": "sets a flag that hides it",
  "lets-nobody-change-it": "lets nobody change it",
  "gives-it-name-with-dot": "gives it a name with a dot",
  "is-another-accounts-nothing-was": "{pathOf} is another account's. Nothing was changed.",
  "is-not-same-any-more":
    "{pathOf} is not the same any more: somebody has put something else in its place, or in its folder's. Nothing was changed there; look again.",
});
