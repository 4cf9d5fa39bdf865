"use client";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { formatBytes } from "@/lib/format";
import { type Rows, useLook } from "./looking";
import { say } from "@eremos/words/page/visit";

/** So much of a file is shown at most. */
const MOST_BYTES = 512 * 1024;

interface TextProps {
  readonly url: string;
  readonly size: number;
}

/** The beginning of a file as text; null while it comes. */
export function useText({ url, size }: TextProps): {
  readonly text: string | null;
  readonly problem: string | null;
  readonly isCut: boolean;
} {
  const { data, error } = useQuery({
    queryKey: ["contents", url, size],
    gcTime: 0,
    staleTime: 0,
    retry: false,
    queryFn: async () => {
      if (size === 0) return "";
      const response = await fetch(url, { headers: { Range: `bytes=0-${MOST_BYTES - 1}` } });
      if (!response.ok)
        throw new Error("It could not be read. The visit may have ended, or this part of the folder is damaged.");
      return new TextDecoder().decode(await response.arrayBuffer());
    },
  });
  return { text: data ?? null, problem: error?.message ?? null, isCut: size > MOST_BYTES };
}

export function CutNote({ isCut, size }: { readonly isCut: boolean; readonly size: number }): ReactNode {
  return (
    isCut && (
      <p className="mt-4 border-t border-line pt-2 text-[13px] text-mute">
        {say("only-beginning-is-shown-download", { size: formatBytes(size) })}
      </p>
    )
  );
}

export function TextPreview(props: TextProps): ReactNode {
  const { text, problem, isCut } = useText(props);
  if (problem)
    return (
      <p role="alert" className="text-sm text-oxblood">
        {problem}
      </p>
    );
  if (text === "") return <p className="text-sm text-mute">{say("file-is-empty")}</p>;
  return (
    <>
      <pre className="font-mono text-[12.5px] leading-relaxed break-words whitespace-pre-wrap">{text}</pre>
      <CutNote isCut={isCut} size={props.size} />
    </>
  );
}

/** There is more in it than a page can show without standing still. */
export function TooMuch(): ReactNode {
  return <p className="text-sm text-mute">{say("there-is-too-much-in")}</p>;
}

/** Rows and columns. */
export function SheetPreview(props: TextProps): ReactNode {
  const { text, problem, isCut } = useText(props);
  const found = useLook<Rows>("table", text);
  if (problem)
    return (
      <p role="alert" className="text-sm text-oxblood">
        {problem}
      </p>
    );
  if (found === null) return null;
  if (found === "too-much") return <TooMuch />;
  const [head, ...rows] = found.rows;
  if (!head) return <p className="text-sm text-mute">{say("there-are-no-rows-in")}</p>;
  return (
    <>
      <table className="w-full border-collapse text-[13px]">
        <thead>
          <tr>
            {head.map((cell, i) => (
              <th key={i} scope="col" className="border border-line bg-sand/50 px-2 py-1 text-left font-semibold">
                {cell}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => (
            <tr key={i}>
              {row.map((cell, j) => (
                <td key={j} className="border border-line px-2 py-1 align-top">
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <CutNote isCut={isCut || found.isCut} size={props.size} />
    </>
  );
}
