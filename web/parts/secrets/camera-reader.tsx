"use client";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { readVideo } from "./read-qr";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/secrets";

const LOOK_EVERY_MS = 200;

interface CameraReaderProps {
  readonly onRead: (text: string) => void;
  readonly onClose: () => void;
}

/**
 * Looks through the camera until it sees a QR code. Its pictures stay in the browser, and it is off as soon as this is
 * gone.
 */
export function CameraReader({ onRead, onClose }: CameraReaderProps): ReactNode {
  const video = useRef<HTMLVideoElement>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const read = useRef(onRead);
  useEffect(() => {
    read.current = onRead;
  });
  useEffect(() => {
    let stream: MediaStream | null = null;
    let isGone = false;
    const begin = async (): Promise<void> => {
      stream = await navigator.mediaDevices.getUserMedia({
        video: { facingMode: "environment", width: { ideal: 1280 } },
        audio: false,
      });
      if (isGone) return stream.getTracks().forEach((track) => track.stop());
      if (video.current) video.current.srcObject = stream;
    };
    begin().catch(() => setProblem(say("no-camera-can-be-used")));
    const timer = setInterval(() => {
      const text = video.current && readVideo(video.current);
      if (text) read.current(text);
    }, LOOK_EVERY_MS);
    return () => {
      isGone = true;
      clearInterval(timer);
      stream?.getTracks().forEach((track) => track.stop());
    };
  }, []);
  return (
    <div className="mt-3 rounded-xl border border-line bg-sheet p-3">
      {problem === null ? (
        <video
          ref={video}
          autoPlay
          muted
          playsInline
          aria-label={say("what-camera-sees")}
          className="aspect-video w-full rounded-lg bg-night object-cover"
        />
      ) : (
        <p role="alert" className="text-[13px] text-oxblood">
          {problem}
        </p>
      )}
      <div className="mt-2 flex items-center justify-between gap-3 text-[13px] text-mute">
        <span>{problem === null && say("hold-sheets-qr-code-before")}</span>
        <Button size="small" onClick={onClose}>
          {say("turn-it-off")}
        </Button>
      </div>
    </div>
  );
}
