import jsQR from "jsqr";

/** Longer sides than this are made smaller: readers want whole modules, not millions of pixels. */
const LONGEST_SIDE = 1600;

/** What the QR code in a picture says, or null. The picture stays in the browser. */
export async function readQr(picture: Blob): Promise<string | null> {
  const bitmap = await createImageBitmap(picture).catch(() => null);
  if (!bitmap) return null;
  const text = readFrame(bitmap, bitmap.width, bitmap.height);
  bitmap.close();
  return text;
}

/** The same of a camera's picture right now. */
export function readVideo(video: HTMLVideoElement): string | null {
  return video.videoWidth === 0 ? null : readFrame(video, video.videoWidth, video.videoHeight);
}

function readFrame(frame: CanvasImageSource, width: number, height: number): string | null {
  const scale = Math.min(1, LONGEST_SIDE / Math.max(width, height));
  const canvas = new OffscreenCanvas(Math.round(width * scale), Math.round(height * scale));
  const context = canvas.getContext("2d");
  if (!context) return null;
  context.drawImage(frame, 0, 0, canvas.width, canvas.height);
  const pixels = context.getImageData(0, 0, canvas.width, canvas.height);
  return jsQR(pixels.data, pixels.width, pixels.height)?.data ?? null;
}
