"use client";
import { Camera, QrCode } from "lucide-react";
import { type ReactNode, useRef, useState } from "react";
import { CameraReader } from "./camera-reader";
import { readQr } from "./read-qr";
import { say } from "@eremos/words/page/secrets";

const LINK = "mt-2 mr-5 inline-flex items-center gap-1.5 text-sm font-medium text-dusk underline underline-offset-4";

/** Reads the QR code of a sheet, from a picture of it or by the camera. Neither leaves the browser. */
export function PictureReader({ onRead }: { readonly onRead: (text: string) => void }): ReactNode {
  const picker = useRef<HTMLInputElement>(null);
  const [isUnread, setUnread] = useState(false);
  const [isLooking, setLooking] = useState(false);
  const read = async (picture: File | undefined): Promise<void> => {
    const text = picture && (await readQr(picture));
    setUnread(!text);
    if (text) onRead(text);
  };
  return (
    <>
      <button type="button" className={LINK} onClick={() => picker.current?.click()}>
        <QrCode className="size-4" aria-hidden />
        {say("read-it-from-picture-sheet")}
      </button>
      <button type="button" className={LINK} aria-expanded={isLooking} onClick={() => setLooking(!isLooking)}>
        <Camera className="size-4" aria-hidden />
        {say("by-camera")}
      </button>
      <input
        ref={picker}
        type="file"
        accept="image/*"
        hidden
        aria-label={say("picture-sheet")}
        onChange={(event) => {
          void read(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
      {isLooking && (
        <CameraReader
          onClose={() => setLooking(false)}
          onRead={(text) => {
            setLooking(false);
            onRead(text);
          }}
        />
      )}
      {isUnread && (
        <p role="alert" className="mt-1.5 text-[13px] text-oxblood">
          {say("no-code-could-be-read")}
        </p>
      )}
    </>
  );
}
