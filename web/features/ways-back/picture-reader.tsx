"use client";
import { QrCode } from "lucide-react";
import { type ReactNode, useRef, useState } from "react";
import { readQr } from "./read-qr";

/** Reads the QR code of a sheet from a picture of it, which stays in the browser. */
export function PictureReader({ onRead }: { readonly onRead: (text: string) => void }): ReactNode {
  const picker = useRef<HTMLInputElement>(null);
  const [isUnread, setUnread] = useState(false);
  const read = async (picture: File | undefined): Promise<void> => {
    const text = picture && (await readQr(picture));
    setUnread(!text);
    if (text) onRead(text);
  };
  return (
    <>
      <button type="button" className="mt-2 inline-flex items-center gap-1.5 text-sm font-medium text-dusk underline underline-offset-4" onClick={() => picker.current?.click()}><QrCode className="size-4" aria-hidden />Read it from a picture of the sheet</button>
      <input ref={picker} type="file" accept="image/*" hidden aria-label="Picture of the sheet" onChange={(event) => {
        void read(event.target.files?.[0]);
        event.target.value = "";
      }} />
      {isUnread && <p role="alert" className="mt-1.5 text-[13px] text-oxblood">No code could be read in that picture. Take it straight from above, in good light, or type the groups.</p>}
    </>
  );
}
