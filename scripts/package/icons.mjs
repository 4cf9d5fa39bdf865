/** Icons in every size that desktops ask for, drawn from the one that has any size. */
import { createRequire } from "node:module";
import { join } from "node:path";
import { packaging } from "./runtime.mjs";

const SIZES = [16, 22, 24, 32, 48, 64, 128, 256, 512];
const SCALABLE = /^\/usr\/share\/icons\/hicolor\/scalable\/apps\/(.+)\.svg$/;

/** @param files what the package puts among the applications, the icon among them */
export async function iconsFrom(files) {
  const sharp = createRequire(join(packaging, "package.json"))("sharp");
  const [icon] = files.filter(({ path }) => SCALABLE.test(path));
  const [, name] = SCALABLE.exec(icon.path) ?? [];
  return Promise.all(
    SIZES.map(async (size) => ({
      path: `/usr/share/icons/hicolor/${size}x${size}/apps/${name}.png`,
      content: await sharp(Buffer.from(icon.content), { density: (72 * size) / 32 })
        .resize(size, size)
        .png()
        .toBuffer(),
    })),
  );
}
