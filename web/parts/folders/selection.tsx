"use client";
import { type ReactNode, createContext, use, useMemo, useState } from "react";

/** What the Desk is looking at. Paths stay in memory: nothing of them is in an address or a title. */
export interface Selection {
  readonly path: string | null;
  select(path: string | null): void;
  /** What the protect dialog is open for. */
  readonly protecting: Protecting | null;
  protect(path: string | null, withOwnPassword?: boolean): void;
  /** The folders and files that the dialog for several is open for. */
  readonly protectingAll: readonly string[] | null;
  protectAll(paths: readonly string[] | null): void;
  /** Where a new private folder is to be; empty text for no place yet. */
  readonly making: string | null;
  make(path: string | null): void;
  /** What is to be moved into a folder. */
  readonly movingIn: MovingIn | null;
  moveInto(moving: MovingIn | null): void;
  /** What is to be written over. */
  readonly overwriting: Overwriting | null;
  overwrite(what: Overwriting | null): void;
  /** What is to be handed over; null: nothing was chosen. */
  readonly handing: Handing | null;
  handOver(what: Handing | null): void;
  /** A package that is to be received. */
  readonly receiving: string | null;
  receive(path: string | null): void;
}

/** A folder or file, empty text for none chosen yet; and whether it is to get a password of its own. */
export interface Protecting {
  readonly path: string;
  readonly withOwnPassword: boolean;
}

/** A path, and of a locked folder the entries alone that were chosen in a visit; null: everything. */
export interface Handing {
  readonly path: string;
  readonly hrefs: readonly string[] | null;
}

/** Full paths of what goes; or one, of whose disk the free space is meant. */
export interface Overwriting {
  readonly paths: readonly string[];
  readonly isFree: boolean;
}

/** The id of a locked folder, empty for none chosen yet, the full paths of what goes in, and what becomes of it there. */
export interface MovingIn {
  readonly folder: string;
  readonly paths: readonly string[];
  readonly originals?: "remove" | "trash" | "stay";
}

const SelectionContext = createContext<Selection | null>(null);

export function SelectionProvider({ children }: { readonly children: ReactNode }): ReactNode {
  const [path, select] = useState<string | null>(null);
  const [protecting, setProtecting] = useState<Protecting | null>(null);
  const [protectingAll, protectAll] = useState<readonly string[] | null>(null);
  const [making, make] = useState<string | null>(null);
  const [movingIn, moveInto] = useState<MovingIn | null>(null);
  const [overwriting, overwrite] = useState<Overwriting | null>(null);
  const [handing, handOver] = useState<Handing | null>(null);
  const [receiving, receive] = useState<string | null>(null);
  const value = useMemo(
    () => ({
      path,
      select,
      protecting,
      protect: (of: string | null, withOwnPassword = false) =>
        setProtecting(of === null ? null : { path: of, withOwnPassword }),
      protectingAll,
      protectAll,
      making,
      make,
      movingIn,
      moveInto,
      overwriting,
      overwrite,
      handing,
      handOver,
      receiving,
      receive,
    }),
    [path, protecting, protectingAll, making, movingIn, overwriting, handing, receiving],
  );
  return <SelectionContext value={value}>{children}</SelectionContext>;
}

export function useSelection(): Selection {
  const selection = use(SelectionContext);
  if (!selection) throw new Error("useSelection belongs inside SelectionProvider");
  return selection;
}
