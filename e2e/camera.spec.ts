import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import QRCode from "qrcode";
import { expect, test } from "./house";

/** A recovery code as it was printed once; nothing opens with it. */
const CODE = "VSJD2-2F04V-DRXM4-MS6CJ-3QXAQ-VWWCN-9YZ3W-171WK";
const [WIDTH, HEIGHT] = [640, 480];
const film = path.join(fs.mkdtempSync(path.join(os.tmpdir(), "eremos-camera-")), "sheet.y4m");

/** A film of one picture: the QR code on white, as YUV4MPEG2 with 4:2:0 samples. */
function makeFilm(): void {
  const { size, data } = QRCode.create(CODE, { errorCorrectionLevel: "M" }).modules;
  const cell = Math.floor(400 / size);
  const luma = Buffer.alloc(WIDTH * HEIGHT, 235);
  for (let row = 0; row < size * cell; row++) {
    for (let column = 0; column < size * cell; column++) {
      if (data[Math.floor(row / cell) * size + Math.floor(column / cell)]) luma[(row + 40) * WIDTH + column + 120] = 16;
    }
  }
  const frame = Buffer.concat([Buffer.from("FRAME\n"), luma, Buffer.alloc((WIDTH * HEIGHT) / 2, 128)]);
  fs.writeFileSync(
    film,
    Buffer.concat([
      Buffer.from(`YUV4MPEG2 W${WIDTH} H${HEIGHT} F10:1 Ip A1:1 C420jpeg\n`),
      ...Array.from({ length: 5 }, () => frame),
    ]),
  );
}
makeFilm();
test.use({
  launchOptions: async ({ launchOptions }, use) =>
    use({
      ...launchOptions,
      args: [
        ...(launchOptions.args ?? []),
        "--use-fake-device-for-media-stream",
        "--use-fake-ui-for-media-stream",
        `--use-file-for-fake-video-capture=${film}`,
      ],
    }),
});
test.afterAll(() => fs.rmSync(path.dirname(film), { recursive: true }));

test("the camera reads the code from the sheet that is held before it, and is off then", async ({ page, house }) => {
  await page.goto(house.address);
  await page.getByRole("button", { name: "I forgot my master password" }).click();
  await page.getByRole("button", { name: "By the camera" }).click();
  await expect(page.getByLabel("Recovery code")).toHaveValue(CODE);
  await expect(page.getByLabel("What the camera sees")).toHaveCount(0);
});
