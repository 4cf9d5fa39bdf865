/** Every sentence that Eremos says, in one place: an area's file holds its messages, and speaks them. */
export type { Said, Values } from "./speaker";
