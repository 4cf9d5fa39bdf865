/**
 * Writes docs/vectors anew. Only when the format gets a new version: the committed ones prove that old folders still
 * open.
 */
import { register } from "tsx/esm/api";

register();
const { writeVectors } = await import("../core/test/support/vectors");
await writeVectors();
