import { speaker } from "../speaker";

/** Said by the page that a package is. */
export const { say, said } = speaker("reader/package", {
  "open-it": "Open it",
  opening: "Opening…",
  "that-is-another-file":
    "That is another file. Nothing was opened; choose this page’s own, the one that you opened in the browser.",
  "is-this-file": "It is this file. It can be opened with its password.",
  "what-is-in-it": "{files, plural, one {# file} other {# files}}, {size}.",
  "and-more-find-them-by": "and {matching, number} more; find them by name.",
  save: "Save",
  "save-this": "Save {entry}",
  show: "Show",
  "show-this": "Show {entry}",
  "it-is-saved": "{entry} is saved.",
  "everything-is-saved": "Everything is saved, as one ZIP.",
  "page-number": "Page {number}",
  "first-pages-alone": "The first {shown} of {all} pages. Save it to see the rest.",
  "only-its-beginning": "Only its beginning is shown.",
  "this-browser-cant-show-it": "This browser can’t show it. Save it, and open it with a program.",
  "something-went-wrong": "Something went wrong here ({error}). The package is as it was.",
});
