import jsQR from "jsqr";

/** Longer sides than this are made smaller: readers want whole modules, not millions of pixels. */
const LONGEST_SIDE = 1600;

/** What the QR code in a picture says, or null. The picture stays in the browser. */
export async function readQr(picture: Blob): Promise<string | null> {
  const bitmap = await createImageBitmap(picture).catch(() => null);
  if (!bitmap) return null;
  const scale = Math.min(1, LONGEST_SIDE / Math.max(bitmap.width, bitmap.height));
  const canvas = new OffscreenCanvas(Math.round(bitmap.width * scale), Math.round(bitmap.height * scale));
  const context = canvas.getContext("2d");
  if (!context) return null;
  context.drawImage(bitmap, 0, 0, canvas.width, canvas.height);
  bitmap.close();
  const { data, width, height } = context.getImageData(0, 0, canvas.width, canvas.height);
  return jsQR(data, width, height)?.data ?? null;
}
