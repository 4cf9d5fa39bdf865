import type { ReactNode } from "react";

/** Something that is wrong with Eremos itself and not with a folder; `children`: what can be done about it. */
export function Trouble({ words, children }: { readonly words: string; readonly children?: ReactNode }): ReactNode {
  return (
    <div role="alert" className="mb-3 rounded-xl border border-ochre/50 bg-ochre-soft px-4 py-3 text-sm text-ochre">
      <p className="break-words">{words}</p>
      {children && <div className="mt-2 flex justify-end gap-2">{children}</div>}
    </div>
  );
}
