/** What goes over the wire between the page and the server. Types only, safe in the browser. */
export type * from "./contract-folders";
export type * from "./contract-ways-back";
