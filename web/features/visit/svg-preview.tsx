"use client";
import type { ReactNode } from "react";
import { TextPreview, useText } from "./text-preview";
import { say } from "@eremos/words/page/visit";

const MOST_BYTES = 256 * 1024;
/** By these a few lines draw something without end. */
const REPEATS =
  /<!ENTITY|<(?:\w+:)?(?:use|pattern|filter|mask|clipPath|marker|foreignObject|image|fe\w+|animate\w*|set)\b/i;

/** A drawing as a picture, where it is a plain one; else as what it is, text. */
export function SvgPreview({
  url,
  size,
  name,
  onError,
}: {
  readonly url: string;
  readonly size: number;
  readonly name: string;
  readonly onError: () => void;
}): ReactNode {
  const { text, problem } = useText({ url, size });
  if (problem)
    return (
      <p role="alert" className="text-sm text-oxblood">
        {problem}
      </p>
    );
  if (text === null) return null;
  if (size <= MOST_BYTES && !REPEATS.test(text))
    return <img src={url} alt={name} onError={onError} className="mx-auto max-h-full max-w-full rounded-md" />;
  return (
    <>
      <p className="mb-3 text-[13px] text-mute">{say("drawing-that-repeats-parts-itself")}</p>
      <TextPreview url={url} size={size} />
    </>
  );
}
