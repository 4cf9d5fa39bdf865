"use client";
import type { ReactNode } from "react";
import Markdown from "react-markdown";
import { type Measured, useLook } from "./looking";
import { CutNote, TooMuch, useText } from "./text-preview";
import { say } from "@eremos/words/page/visit";

/** Beyond these it would hold the page up, or fail in the drawing of it. */
const LONGEST_MS = 400;
const MOST_NODES = 8000;
const DEEPEST = 40;

/** Markdown as it is meant; raw HTML in it is text, and pictures and links lead nowhere. */
export function MarkdownPreview(props: { readonly url: string; readonly size: number }): ReactNode {
  const { text, problem, isCut } = useText(props);
  const measured = useLook<Measured>("markdown", text);
  if (problem)
    return (
      <p role="alert" className="text-sm text-oxblood">
        {problem}
      </p>
    );
  if (measured === null) return null;
  if (
    measured === "too-much" ||
    measured.milliseconds > LONGEST_MS ||
    measured.nodes > MOST_NODES ||
    measured.depth > DEEPEST
  )
    return <TooMuch />;
  return (
    <>
      <div className="space-y-3 text-[14.5px] [&_code]:font-mono [&_code]:text-[13px] [&_h1]:text-xl [&_h2]:text-lg [&_li]:ml-5 [&_ol]:list-decimal [&_pre]:overflow-x-auto [&_pre]:rounded-md [&_pre]:bg-sand/50 [&_pre]:p-3 [&_ul]:list-disc">
        <Markdown
          components={{
            img: ({ alt }) => (
              <span className="text-mute">
                {say("picture")} {alt}]
              </span>
            ),
            a: ({ children }) => <span className="underline">{children}</span>,
          }}
        >
          {text ?? ""}
        </Markdown>
      </div>
      <CutNote isCut={isCut} size={props.size} />
    </>
  );
}
