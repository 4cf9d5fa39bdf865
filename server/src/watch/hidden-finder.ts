import { randomUUID } from "node:crypto";
import type { HiddenFound, ScriptLock } from "@eremos/core";
import type { Looker } from "../look/looker";
import { NOT_BEGUN, Search, type SearchEnd, type SearchState, type Searching } from "./search";

interface HiddenState extends SearchState {
  readonly found: readonly (HiddenFound & { readonly id: string })[];
  readonly scripts: readonly (ScriptLock & { readonly id: string })[];
}

/** More than this nobody reads; a narrower place shows the rest. */
const MOST_FOUND = 2000;

/** Looks for what is hidden by other means than Eremos. */
export class HiddenFinder extends Search<HiddenState> {
  constructor(
    private readonly looker: () => Pick<Looker, "hidden">,
    announce: () => void,
  ) {
    super(announce, { ...NOT_BEGUN, found: [], scripts: [] });
  }

  protected look({ isStopped, ...searching }: Searching): Promise<SearchEnd> {
    return this.looker().hidden({
      ...searching,
      isStopped: () => isStopped() || this.state.found.length >= MOST_FOUND,
      onFound: (one) =>
        void (this.state = { ...this.state, found: [...this.state.found, { ...one, id: randomUUID() }] }),
      onScript: (one) =>
        void (this.state = { ...this.state, scripts: [...this.state.scripts, { ...one, id: randomUUID() }] }),
    });
  }
}
