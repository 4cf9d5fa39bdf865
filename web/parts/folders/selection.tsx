"use client";
import { type ReactNode, createContext, use, useMemo, useState } from "react";

/** What the Desk is looking at. Paths stay in memory: nothing of them is in an address or a title. */
export interface Selection {
  readonly path: string | null;
  select(path: string | null): void;
  /** The folder the protect dialog is open for; empty text for none chosen yet. */
  readonly protecting: string | null;
  protect(path: string | null): void;
  /** The folders and files that the dialog for several is open for. */
  readonly protectingAll: readonly string[] | null;
  protectAll(paths: readonly string[] | null): void;
}

const SelectionContext = createContext<Selection | null>(null);

export function SelectionProvider({ children }: { readonly children: ReactNode }): ReactNode {
  const [path, select] = useState<string | null>(null);
  const [protecting, protect] = useState<string | null>(null);
  const [protectingAll, protectAll] = useState<readonly string[] | null>(null);
  const value = useMemo(
    () => ({ path, select, protecting, protect, protectingAll, protectAll }),
    [path, protecting, protectingAll],
  );
  return <SelectionContext value={value}>{children}</SelectionContext>;
}

export function useSelection(): Selection {
  const selection = use(SelectionContext);
  if (!selection) throw new Error("useSelection belongs inside SelectionProvider");
  return selection;
}
