/** Points in each direction. */
export const DOORWAY_SIZE = 32;
/** Of what is around the door, and of the door: red, green, blue. */
const LOCKED = ["f7f3ea", "2f3b69"] as const;
const OPEN = ["2f3b69", "f2b84b"] as const;
const OPAQUE = "ff";

/**
 * The doorway for whoever takes pictures and no names: dark while all is locked, lit while something lies open. Four bytes
 * for each point, row by row, in the order that is asked for.
 */
export function doorwayPicture(isOpen: boolean, order: "argb" | "rgba"): Buffer {
  const points = Buffer.alloc(DOORWAY_SIZE * DOORWAY_SIZE * 4);
  const [around, door] = isOpen ? OPEN : LOCKED;
  for (let y = 0; y < DOORWAY_SIZE; y++)
    for (let x = 0; x < DOORWAY_SIZE; x++) {
      const [across, above] = [x + 0.5 - 16, 15 - (y + 0.5)];
      const isDoor = Math.abs(across) < 7 && y < 27 && (above <= 0 || Math.hypot(across, above) < 7);
      const color = isDoor ? door : around;
      points.write(order === "argb" ? OPAQUE + color : color + OPAQUE, (y * DOORWAY_SIZE + x) * 4, "hex");
    }
  return points;
}
