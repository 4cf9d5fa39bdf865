"use client";
import { ArrowDownUp, ListFilter, Rows3, Table2 } from "lucide-react";
import type { ReactNode } from "react";
import type { DeskView } from "@eremos/server/contract";
import { Button } from "@/ui/button";
import { TickMenu } from "@/ui/menu";
import { FACETS, type Facet, type Filters, type Listed, isFiltered, toggled, valuesOf } from "./listed";
import { say } from "@eremos/words/page/desk";

export const SORT_WORDS: Readonly<Record<DeskView["sort"], string>> = {
  state: say("by-state"),
  name: say("by-name"),
  size: say("by-size"),
  opened: say("by-opened"),
  place: say("by-place"),
};

const FACET_WORDS: Readonly<Record<Facet, string>> = {
  state: say("by-state"),
  guard: say("guard"),
  place: say("by-place"),
  drive: say("drive"),
};

interface ListToolsProps {
  readonly listed: readonly Listed[];
  readonly view: DeskView;
  readonly onView: (change: Partial<DeskView>) => void;
  readonly filters: Filters;
  readonly onFilters: (filters: Filters) => void;
}

/** In which order, which of them, and how closely they stand. */
export function ListTools({ listed, view, onView, filters, onFilters }: ListToolsProps): ReactNode {
  const groups = FACETS.map((facet) => ({
    title: FACET_WORDS[facet],
    ticks: valuesOf(facet, listed).map((one) => ({ ...one, isOn: filters[facet].includes(one.value) })),
    onTick: (value: string) => onFilters(toggled(filters, facet, value)),
  })).filter(({ ticks }) => ticks.length > 1);
  return (
    <div className="ml-auto flex shrink-0 gap-1">
      <TickMenu
        groups={[
          {
            title: say("sort-by"),
            isOne: true,
            ticks: (Object.keys(SORT_WORDS) as DeskView["sort"][]).map((value) => ({
              value,
              label: SORT_WORDS[value],
              isOn: view.sort === value,
            })),
            onTick: (sort) => onView({ sort: sort as DeskView["sort"] }),
          },
          {
            title: say("order"),
            isOne: true,
            ticks: [
              { value: "up", label: say("ascending"), isOn: !view.isDescending },
              { value: "down", label: say("descending"), isOn: view.isDescending },
            ],
            onTick: (order) => onView({ isDescending: order === "down" }),
          },
        ]}
      >
        <Button size="small" className="px-2" aria-label={say("sort")} title={say("sort")}>
          <ArrowDownUp className="size-4" aria-hidden />
        </Button>
      </TickMenu>
      {groups.length > 0 && (
        <TickMenu groups={groups}>
          <Button
            size="small"
            tone={isFiltered(filters) ? "dusk" : "plain"}
            className="px-2"
            aria-label={isFiltered(filters) ? say("filtered") : say("filter")}
            title={isFiltered(filters) ? say("filtered") : say("filter")}
          >
            <ListFilter className="size-4" aria-hidden />
          </Button>
        </TickMenu>
      )}
      <Button
        size="small"
        className="px-2"
        aria-label={view.isTable ? say("as-cards") : say("as-table")}
        title={view.isTable ? say("as-cards") : say("as-table")}
        onClick={() => onView({ isTable: !view.isTable })}
      >
        {view.isTable ? <Rows3 className="size-4" aria-hidden /> : <Table2 className="size-4" aria-hidden />}
      </Button>
    </div>
  );
}
