import type { ScanFound } from "@eremos/core";
import type { Looker } from "../look/looker";
import { NOT_BEGUN, Search, type SearchEnd, type SearchState, type Searching } from "./search";

/** As the page is told of it; what was found is told with how it stands to the list. */
interface FinderState extends SearchState {
  readonly found: readonly ScanFound[];
}

/** Looks for protected folders on this disk. */
export class Finder extends Search<FinderState> {
  constructor(
    private readonly looker: () => Pick<Looker, "scan">,
    announce: () => void,
  ) {
    super(announce, { ...NOT_BEGUN, found: [] });
  }

  protected look(searching: Searching): Promise<SearchEnd> {
    // Told with the progress: whoever plants thousands makes nobody ask thousands of times.
    const found: ScanFound[] = [];
    this.state = { ...this.state, found };
    return this.looker().scan({ ...searching, onFound: (one) => void found.push(one) });
  }
}
